"""How things are shown: lanes, panels, columns of readings. Part of the study; numbers are not touched by it."""

from typing import Literal, TypeAlias

import msgspec


class Look(msgspec.Struct, frozen=True):
    """How a channel is drawn, apart from where: value * factor + offset, without its mean if wanted. Numbers are not touched."""

    factor: float = 1.0
    offset: float = 0.0  # SI of the channel
    mean_removed: bool = False


Drawing: TypeAlias = Literal["line", "steps", "points"]


class Lane(msgspec.Struct, frozen=True):
    """One row of the ledger: channels of one unit, and how much height it asks for."""

    channels: tuple[str, ...]
    weight: float = 1.0
    scale: tuple[float, float] | None = None  # fixed lower and upper end, SI; None until fitted by the user
    collapsed: bool = False  # to one line
    drawing: Drawing = "line"  # between samples, where they can be told apart


Resolving: TypeAlias = Literal["spacing", "length", "bandwidth"]
SpectrumScale: TypeAlias = Literal["rms", "peak", "power", "density", "power density"]
Decibels: TypeAlias = Literal["linear", "logarithmic", "dB", "dBc", "dBFS"]
SpectrumTrace: TypeAlias = Literal["mean", "present", "highest", "lowest", "faded"]


class Spectral(msgspec.Struct, frozen=True, omit_defaults=True):
    """How spectra of a panel are taken and shown."""

    resolution: tuple[Resolving, float] | None = None  # Hz, s, Hz; None: what the stretch gives, blocks of 2^20 samples at most
    overlap: float | None = None  # share of a block; None: what suits the window
    without_mean: bool | None = None  # the mean of each block taken off; None: for densities
    fading: float = 8.0  # blocks after which the past has faded, where that is shown
    traces: tuple[SpectrumTrace, ...] = ("mean",)
    span_hz: tuple[float, float] | None = None  # the frequencies shown; None: up to order 25, else all
    logarithmic: bool = False  # the axis of frequency
    scale: SpectrumScale = "rms"
    decibels: Decibels = "logarithmic"
    fundamental_hz: float | None = None  # whose orders are marked, and what dBc is against; None: that of the channel
    orders: bool = False  # marked
    peaks: int = 0  # so many are listed
    edges_hz: tuple[float, float] | None = None  # two places that are read
    cursor: tuple[float, float] | None = None  # an instant, s, and a frequency, Hz, that are read in a spectrogram


OrdersOf: TypeAlias = Literal["component", "harmonic", "subgroup", "interharmonic", "centred"]
OrdersAs: TypeAlias = Literal["percent", "dB", "unit"]
OrdersOver: TypeAlias = Literal["rms", "max", "p95"]


class OrdersShown(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a panel of harmonics shows of each order, or which order a panel of phasors shows."""

    of: OrdersOf = "component"
    level: OrdersAs = "percent"
    over: OrdersOver = "rms"  # the windows
    order: int = 1


class Panel(msgspec.Struct, frozen=True):
    """One panel below the ledger, bound to channels and to an interval (None: the active one)."""

    kind: str  # one of the registry of panels
    channels: tuple[str, ...] = ()
    interval: str | None = None
    window: str = "hann"
    linked: bool = False  # over the visible stretch, and zoomed together with other linked ones
    reading: str | None = None  # of a big readout
    search: str | None = None  # the events that are listed, or that repeats are aligned on
    around_s: tuple[float, float] | None = None  # before and after the event; None: from their distance
    codes: bool = False  # a histogram of the numbers as recorded
    stretch_s: tuple[float, float] | None = None  # a stretch of its own in place of an interval
    spectral: Spectral = Spectral()
    orders: OrdersShown = OrdersShown()


Comparing: TypeAlias = Literal["values", "differences", "ratios"]
TimeAxis: TypeAlias = Literal["record", "edge a", "clock"]


class Columns(msgspec.Struct, frozen=True):
    """The columns of readings beside the lanes: readings of the active interval, or one reading in every interval."""

    readings: tuple[str, ...] = ("rms", "mean", "peak_to_peak")
    compare: str | None = None  # the reading that is compared between intervals
    comparing: Comparing = "values"  # differences and ratios are against the active interval
    accuracy: bool = True  # whether it is shown; it is computed in any case
    names_width: int | None = None  # pixels of the names before the lanes; None: what the longest of them needs
