"""The window. Widgets hold no logic: what to show and what a gesture means is decided in `presenter`, without Qt.

Widgets hold no logic. desktop/presenter decides what to show and what a gesture means, without Qt; the widgets draw and
forward. There is one signal, "the study changed".

A gesture is an object. desktop/traces/lane_gestures.py has a class per gesture, lane_places.py knows where everything stands,
lane_changes.py what is done to lanes; the lanes paint and pass on. What acts in a widget gets a small protocol of what it may
ask (desktop/stage.py, traces/page_stage.py, traces/lane_stage.py). What the user is looking at just now (chosen channels, the
event stepped to, snapping) is the Selection, not part of the study. Panels, readings, checks, tables, commands: one registry
each, menus and documents follow from it.

Long work is a request. desktop/runner.py runs jobs on two threads; a newer request of a kind replaces the older one, stale
answers never arrive, numbers that are not current are grey. Threads hand the interpreter back within 50 µs, and wait for the
disk without holding it, so that painting never queues behind them: tests/desktop/test_large_record.py drives the window on
eight long channels and bounds what the interface thread reads; the longest pause on a hundred million samples is bounded by
make bench.
"""
