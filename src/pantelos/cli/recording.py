"""The commands recorder, record and signal: a simulated recorder, a recording to order, known signals without a recorder."""

import contextlib
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

from pantelos.amounts import amount
from pantelos.cli.command import Argument, Option, say
from pantelos.cli.interrupting import seldom, until_interrupted
from pantelos.cli.opened import AsJson
from pantelos.cli.reporting import say_json, shown_progress
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.study import operations as op

if TYPE_CHECKING:
    from pantelos.recorder.recording import Recorded

Rate = Annotated[str, Option(help="Samples per second, such as '50 kHz'.")]
_USUAL_PORT, _USUAL_HISLIP = 5025, 4880
_MOST_MEMORY_MB = 4096


def recorder(
    scene: Annotated[str, Argument(help="What the inputs see: mains, lift, conveyor, rail, or the file of a study.")] = "mains",
    inputs: Annotated[int, Option(help="Number of inputs, 1 to 64.")] = 8,
    host: Annotated[str, Option(help="Address to listen at.")] = "127.0.0.1",
    port: Annotated[int, Option(help="Port of the socket; 0 for any that is free.")] = _USUAL_PORT,
    hislip: Annotated[int, Option(help="Port of HiSLIP; 0 for any that is free.")] = _USUAL_HISLIP,
    noise: Annotated[str, Option(help="Noise of the inputs, rms.")] = "0.2 mV",
    offset: Annotated[str, Option(help="Offset of the inputs.")] = "0 V",
    clock: Annotated[float, Option(help="Error of its clock, ppm.")] = 0.0,
    memory: Annotated[int, Option(help="Room for rows until they are fetched, MB.")] = 64,
    with_input: Annotated[
        bool, Option("--with-input", help="End when the standard input ends: with whoever started it.")
    ] = False,
) -> None:
    """Run the simulated recorder until it is interrupted; what stands in for a real one."""
    from pantelos.simulator.converter import LARGEST_CLOCK_PPM, Flaws
    from pantelos.simulator.instrument import Instrument
    from pantelos.simulator.scenes import SCENES, recorded_scene
    from pantelos.simulator.serving import Serving

    if not 1 <= inputs <= 64:
        raise StudyError(f"{inputs} inputs cannot be. Ask for 1 to 64.")
    seen = SCENES[scene] if scene in SCENES.names else recorded_scene(Path(scene))
    if not abs(clock) <= LARGEST_CLOCK_PPM:
        raise StudyError(f"A clock cannot be {clock:g} ppm off. Ask for {LARGEST_CLOCK_PPM:g} ppm at most.")
    if not 1 <= memory <= _MOST_MEMORY_MB:
        raise StudyError(f"A memory of {memory} MB cannot be. Ask for 1 to {_MOST_MEMORY_MB} MB.")
    flaws = Flaws(amount(noise, "V"), amount(offset, "V"), clock, memory << 20)
    try:
        serving = Serving(Instrument(seen, inputs, flaws), host, port, hislip)
    except OSError as cause:
        raise StudyError(f"Port {port} or {hislip} of {host} cannot be used: {cause.strerror}. Choose others.") from cause
    with serving, until_interrupted() as ended:
        if with_input:
            threading.Thread(target=_end_with_input, args=(ended,), daemon=True).start()
        say(f"scene:    {seen.title}: {', '.join(seen.channels[:inputs])}")
        for address in serving.addresses:
            say(f"address:  {address}")
        ended.wait()


def _end_with_input(ended: threading.Event) -> None:
    """Wait until the standard input ends, as it does with the process at its other end, however that went."""
    sys.stdin.buffer.read()
    ended.set()


def record(
    address: Annotated[str, Argument(help="host:port, or a VISA address.")],
    to: Annotated[Path, Option("--to", help="The study; the recording lies beside it.")],
    channel: Annotated[
        list[str] | None,
        Option(help="Channel: 'u1=1: divider 100, range 5 V, AC, single-ended'. Without a range one is measured. Repeatable."),
    ] = None,
    rate: Rate = "10 kHz",
    samples: Annotated[int | None, Option(help="Samples of a shot; 0: until interrupted.")] = None,
    time: Annotated[str | None, Option("--time", help="Length of a shot instead, such as '2 s'.")] = None,
    before: Annotated[str, Option(help="Length of it before the start.")] = "0 s",
    start: Annotated[
        str,
        Option(
            help="'now', 'digital input', or 'u1 rises through 10 V, hysteresis 1 V, hold-off 20 ms, delay 1 ms, else after 2 s'."
        ),
    ] = "now",
    gate: Annotated[str | None, Option(help="Record only while a channel is above a level: 'u1 above 10 V'.")] = None,
    shots: Annotated[int, Option(help="How often; 0: until interrupted.")] = 1,
    output: Annotated[
        list[str] | None,
        Option(help="What an output gives: '1 = sine 50 Hz, 1 V', '2 = played u1 of run.pantelos'. Repeatable; others are off."),
    ] = None,
    loop: Annotated[bool, Option("--loop", help="Outputs are wired into the inputs of the same number.")] = False,
    headroom: Annotated[float, Option(help="Ranges that are measured hold so many times what is seen before the start.")] = 2.0,
    patience: Annotated[str, Option(help="How long a recorder whose connection is lost is asked again.")] = "60 s",
    abort: Annotated[bool, Option("--abort", help="Stop a recording that goes on, for another client or one that went.")] = False,
    as_json: AsJson = False,
) -> None:
    """Record with a recorder to a study."""
    from msgspec.structs import replace  # here, for the sake of a quick start

    from pantelos.recorder.driver import Recorder
    from pantelos.recorder.order import Order, WantedChannel, channel_from, gate_from, start_from
    from pantelos.recorder.recording import record as recorded
    from pantelos.recorder.signals import outputs_from
    from pantelos.recorder.studying import recording_beside, study_of
    from pantelos.recorder.waiting import Waiting
    from pantelos.study.storage import save_study

    rate_hz = op.rate_from(rate)
    n = samples if samples is not None else round(op.time_from(time) * rate_hz) if time is not None else 10_000
    if samples is not None and time is not None:
        raise StudyError("Samples and a time both state the length. Leave one out.")
    with until_interrupted() as interrupted:
        waiting = Waiting(interrupted.is_set, seldom(), op.time_from(patience))
        with contextlib.closing(Recorder(address, waiting=waiting)) as at_end:
            known = at_end.inputs
            wanted = tuple(map(channel_from, channel or [])) or tuple(WantedChannel(one.name, one.number) for one in known)
            order = Order(wanted, rate_hz, n, round(op.time_from(before) * rate_hz), n_shots=shots, headroom=headroom)
            order = replace(order, start=start_from(start, order), gate=gate_from(gate, order) if gate is not None else None)
            if abort:
                at_end.stop()
            if output or loop:
                at_end.give(outputs_from(output or [], len(known)), loop)
            taken = at_end.take(order)
            with shown_progress("recording") as progress:
                came = recorded(at_end, taken, recording_beside(to), None, progress, waiting)
    study, _ = study_of(came.path, taken.order, taken.steps_v)
    save_study(study, to)
    if as_json:
        say_json({
            "study": str(to), "recording": str(came.path), "recorder": at_end.identity, "rate_hz": taken.order.rate_hz,
            "samples": came.n_rows, "shots": [{"first": s.first, "start": s.start, "at_s": s.at_s} for s in came.shots],
            "missed": came.missed, "lost": came.lost, "ended": came.ended, "remarks": list(came.remarks),
            "failed": str(came.failed) if came.failed is not None else None,
        })  # fmt: skip
    else:
        _say_recorded(came, at_end.identity, to)
    if came.failed is not None:
        raise came.failed


def _say_recorded(came: "Recorded", identity: str, to: Path) -> None:
    say(f"recorder:  {identity}")
    say(
        f"recording: {came.path}: {came.n_rows} samples, {counted(len(came.shots), 'shot')}, "
        f"{counted(came.missed, 'start')} missed, {came.ended.partition(':')[0]}"
    )
    for remark in came.remarks:
        say(f"remark:    {remark}")
    if came.lost:
        say(f"lost:      {came.lost} samples of each channel; the record has gaps there", err=True)
    say(f"study:     {to}")


def self_check(
    address: Annotated[str, Argument(help="host:port, or a VISA address.")],
    inputs: Annotated[str, Option(help="Inputs, such as '1 2 3'.")] = "1 2",
    range_: Annotated[str, Option("--range", help="Range of the inputs.")] = "1 V",
    rate: Rate = "50 kHz",
    frequency: Annotated[str, Option(help="Frequency of the sine.")] = "50 Hz",
    by_hand: Annotated[bool, Option("--by-hand", help="Outputs are wired to the inputs of the same number by hand.")] = False,
    keep: Annotated[Path | None, Option("--keep", help="Keep the result in this study.")] = None,
    as_json: AsJson = False,
) -> None:
    """Send known signals through outputs and inputs of a recorder: what its chain can at best show."""
    from msgspec import to_builtins  # here, for the sake of a quick start

    from pantelos.recorder.driver import Recorder
    from pantelos.recorder.self_check import self_check as checked
    from pantelos.recorder.waiting import Waiting
    from pantelos.study.storage import load_study, save_study

    wanted = inputs.replace(",", " ").split()
    if not all(text.isdigit() for text in wanted):
        raise StudyError(f'"{inputs}" names no inputs. Write their numbers, such as 1 2 3.')
    with until_interrupted() as interrupted, shown_progress("checking") as progress:
        waiting = Waiting(interrupted.is_set, seldom())
        with contextlib.closing(Recorder(address, waiting=waiting)) as at_end:
            found = checked(
                at_end, [int(text) for text in wanted], amount(range_, "V"), op.rate_from(rate), amount(frequency, "Hz"),
                not by_hand, progress, waiting,
            )  # fmt: skip
    if keep is not None:
        save_study(op.keep_evidence(load_study(keep), found), keep)
    if as_json:
        say_json(to_builtins(found))
        return
    say(f"{found.title}, {found.at}: {found.recorder}")
    say(found.said)
    for row in found.rows:
        say(f"  {row.what:28} {row.channel:16} {row.text:14} {row.remark}".rstrip())


def signal(
    to: Annotated[Path, Argument(help="The recording to write: .recording.")],
    channel: Annotated[
        list[str],
        Option(help="Channel: 'a = sine 50 Hz, 1 V, 30°, noise 0.2 V, tone 137 Hz 0.9 V', pulses, sweep, … Repeatable."),
    ],
    rate: Rate = "10 kHz",
    time: Annotated[str, Option("--time", help="Length, such as '2 s'.")] = "1 s",
    range_: Annotated[str, Option("--range", help="Range of the converter it passes.")] = "10 V",
) -> None:
    """Write known signals as a recording, without a recorder."""
    from pantelos.recorder.signals import signal_from
    from pantelos.simulator.known_signals import write_signals

    named = [text.partition("=") for text in channel]
    wrong = next((name for name, sign, _ in named if not sign), None)
    if wrong is not None:
        raise StudyError(f'"{wrong}" names no channel. Write it as in "a = sine 50 Hz, 1 V".')
    made = {name.strip(): signal_from(text) for name, _, text in named}
    written = write_signals(to, made, op.rate_from(rate), op.time_from(time), amount(range_, "V"))
    say(f"{to}: {counted(len(made), 'channel')}, {counted(written.n, 'sample')}")
    for name, n in written.clipped.items():
        say(f"{name} is clipped: {n} samples at the end of the range of {range_}; take a wider one with --range", err=True)
