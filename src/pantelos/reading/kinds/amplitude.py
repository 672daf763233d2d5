"""Size of a waveform: means, extremes, factors."""

import math

import numpy as np

from pantelos.reading import amplitude as amp
from pantelos.reading import shares
from pantelos.reading.kinds.common import ALL, CYCLES, IEC103, ISO3534, percent, plain, same
from pantelos.reading.reading import Group, ReadingKind, Setting, averaged, rounded_mean

PLACE = 1


ROWS = (
    ReadingKind("mean", "mean", ("x",), "Mean value, the DC part.", CYCLES, same, amp.mean_of(1, float), "mean(p1)",
                Group.AMPLITUDE, IEC103, per_piece=amp.piece_means(1, root=False), degree=1, shift=1.0, noise=averaged, rounding=rounded_mean, usual=True),
    ReadingKind("rms", "rms", ("x",), "Root of the mean square, DC and all orders included.", "root of the mean square over {cycles}{rule}",
                same, amp.mean_of(2, math.sqrt), "rms(u1)", Group.AMPLITUDE, "IEC 60050-103, ISO 80000-6",
                per_piece=amp.piece_means(2, root=True), degree=1,
                noise=amp.alternating_noise, rounding=rounded_mean, lift=amp.rms_lift, usual=True),
    ReadingKind("ac_rms", "ac rms", ("x",), "Rms of the part that alternates, the mean removed.",
                "two passes over {cycles}: mean, then rms of the deviation{rule}", same, amp.ac_rms, "ac_rms(u1)", Group.AMPLITUDE, IEC103,
                per_piece=amp.piece_ac_rms, degree=1, shift=0.0,
                noise=amp.alternating_noise, rounding=rounded_mean, lift=amp.rms_lift, usual=True),
    ReadingKind("rectified", "rectified mean", ("x",), "Mean of the magnitude.", "mean magnitude over {cycles}{rule}", same,
                amp.rectified_mean, "rectified(i1)", Group.AMPLITUDE, IEC103, per_piece=amp.piece_rectified, degree=1, noise=None, rounding=rounded_mean),
    ReadingKind("min", "min", ("x",), "Smallest sample.", ALL, same, amp.extreme_of(lambda low, high: low), "min(u1)",
                Group.AMPLITUDE, IEC103, per_piece=amp.piece_extremes(lambda low, high: low), degree=1, shift=1.0,
                noise=amp.extreme_noise(np.negative), rounding=amp.rounded_extremes(1), lift=amp.extreme_bias(-1.0, np.negative), usual=True),
    ReadingKind("max", "max", ("x",), "Largest sample.", ALL, same, amp.extreme_of(lambda low, high: high), "max(i1)",
                Group.AMPLITUDE, IEC103, per_piece=amp.piece_extremes(lambda low, high: high), degree=1, shift=1.0,
                noise=amp.extreme_noise(np.positive), rounding=amp.rounded_extremes(1), lift=amp.extreme_bias(1.0, np.positive), usual=True),
    ReadingKind("peak_to_peak", "peak-to-peak", ("x",), "Largest minus smallest sample.", ALL, same,
                amp.extreme_of(lambda low, high: high - low), "peak_to_peak(u1)", Group.AMPLITUDE, IEC103,
                per_piece=amp.piece_extremes(lambda low, high: high - low), degree=1, shift=0.0,
                noise=amp.extreme_noise(np.positive, np.negative), rounding=amp.rounded_extremes(2),
                lift=amp.extreme_bias(1.0, np.positive, np.negative), usual=True),
    ReadingKind("crest", "crest factor", ("x",), "Largest magnitude over rms.", "largest magnitude of all samples of the interval, over the rms of {cycles}{rule}", plain,
                amp.crest_factor, "crest(i1)", Group.AMPLITUDE, IEC103, per_piece=amp.piece_crest, degree=0, noise=amp.crest_noise, rounding=amp.rounded_crest),
    ReadingKind("form", "form factor", ("x",), "Rms over rectified mean.", CYCLES, plain, amp.form_factor, "form(u1)",
                Group.AMPLITUDE, IEC103, per_piece=amp.piece_form, degree=0, noise=None),
    ReadingKind("ripple", "rms ripple", ("x",), "Rms of the alternating part over the mean.", CYCLES, percent, amp.rms_ripple,
                "ripple(u_dc)", Group.AMPLITUDE, "IEC 60050-551-17", per_piece=amp.piece_ripple, degree=0, noise=amp.ripple_noise, rounding=amp.rounded_ripple),
    ReadingKind("peak_ripple", "peak ripple", ("x",), "Peak-to-peak over the mean.", ALL, percent, amp.peak_ripple,
                "peak_ripple(u_dc)", Group.AMPLITUDE, "IEC 60050-551-17", per_piece=amp.piece_peak_ripple, degree=0, noise=amp.peak_ripple_noise, rounding=amp.rounded_peak_ripple),
    ReadingKind("median", "median", ("x",), "Half of the samples lie below it.", ALL, same, shares.share_below(0.5), "median(u1)",
                Group.AMPLITUDE, ISO3534, degree=1, shift=1.0, noise=None),
    ReadingKind("percentile", "percentile", ("x",), "The value that a share of the samples lies below.", ALL + ", linear between neighbours",
                same, shares.share_below(), "percentile(p1, 95)", Group.AMPLITUDE, ISO3534, degree=1, shift=1.0, noise=None,
                settings=(Setting("share", None, "%"),)),
)  # fmt: skip
