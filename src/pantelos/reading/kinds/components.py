"""One component at a frequency."""

from collections.abc import Callable, Sequence

from pantelos.reading import components as com
from pantelos.reading.kinds.common import hertz, ohms, same
from pantelos.reading.reading import Group, ReadingKind, Setting
from pantelos.units import Unit, unit

PLACE = 4


_FITTED = "least squares in the lines around it, together with the tones beside it, through a smooth window"


def _component(
    name: str,
    title: str,
    help_: str,
    pick: com.Pick,
    unit_of: Callable[[Sequence[Unit]], Unit],
    call: str,
    degree: int | None,
    *more: str,
) -> ReadingKind:
    """Return a reading of the component nearest a frequency."""
    return ReadingKind(
        name, title, ("x", *more), help_, _FITTED, unit_of, com.of_component(pick), f"{name}({call}, 178 Hz)", Group.COMPONENT,
        "G. Golub and V. Pereyra 1973", degree=degree, noise=None, shift=0.0, settings=(Setting("f", None, "Hz"),), tabled=False,
    )  # fmt: skip


ROWS = (
    _component("tone", "tone", "Rms of the component nearest a frequency, beside other tones and in noise.", com.rms, same, "i1", 1),
    _component("tone_frequency", "frequency of a tone", "Frequency of the component nearest one.", com.frequency, hertz, "i1", 0),
    _component("tone_phase", "phase of a tone", "Phase of the component nearest a frequency, as a sine at the start of the interval.",
               com.phase, lambda of: unit("°"), "i1", 0),
    _component("gain", "gain", "Rms of the component nearest a frequency over that of the same in another channel.", com.gain,
               ohms, "i1, u1", 0, "reference"),
)  # fmt: skip
