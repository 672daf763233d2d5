"""Parameters of power quality: rms per half-cycle, disturbances, flicker, signalling, aggregation in time.

Quality is kept as aggregates. quality/survey.py goes ten minutes at a time: windows on two processors, flicker beside them
(signal/sharing.py); quality/gathering.py keeps 3 s and 10 min of them; quality/long_survey.py puts hours of it behind each
other; engine/quality.py asks it for the connection of a study, or takes imported trends (engine/trends.py). Limits are files
(quality/limits.py); quality/verdicts.py moves each limit by the uncertainty of the values and sees whether the verdict
changes.
"""
