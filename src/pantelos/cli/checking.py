"""The command checks: what may be wrong with the data or the wiring."""

from pantelos.checks import run_checks
from pantelos.cli.command import say
from pantelos.cli.opened import AsJson, StudyPath, opened
from pantelos.cli.reporting import say_json


def checks(study: StudyPath, as_json: AsJson = False) -> None:
    """Print what may be wrong with the data or the wiring."""
    notices = run_checks(opened(study))
    if as_json:
        say_json(
            [
                {
                    "severity": n.severity,
                    "code": n.code,
                    "text": n.text,
                    "detail": n.detail,
                    "channel": n.channel,
                    "connection": n.connection,
                }
                for n in notices
            ]
        )
        return
    for notice in notices:
        say(f"{notice.severity:8} {notice.text}" + (f" ({notice.detail})" if notice.detail else ""))
