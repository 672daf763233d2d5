"""The simulated recorder: messages in, answers out; one instrument for all connections.

Source: SCPI-1999 volume 2 (INPut, SENSe, TRIGger, INITiate, FETCh, FORMat, SOURce); what the standard leaves open is ours and
stands in docs/recorder-protocol.md.
"""

from collections.abc import Callable

from pantelos.errors import PantelosError
from pantelos.scpi.message import MessageError, commands
from pantelos.scpi.tree import Tree
from pantelos.simulator.commands import common, fetching, inputs, outputs, starting
from pantelos.simulator.converter import Flaws
from pantelos.simulator.core import GIVEN_UP, Core
from pantelos.simulator.scenes import Scene


class Instrument:
    """One recorder."""

    def __init__(self, scene: Scene, n_inputs: int, flaws: Flaws | None = None) -> None:
        self._core, self._tree = Core(scene, n_inputs, flaws or Flaws()), Tree()
        for subsystem in (common, inputs, starting, fetching, outputs):
            subsystem.enter(self._tree, self._core)

    def status_byte(self) -> int:
        """Return the status byte."""
        return self._core.status.byte()

    def close(self) -> None:
        """Stop what is going on."""
        self._core.stop()

    def handle(self, message: str, given_up: Callable[[], bool] = lambda: False) -> list[str | bytes]:
        """Return the answers to the queries of a message; what cannot be understood stands in the queue of errors.

        `given_up` says whether nobody waits for them any longer; then there are none.

        Raises
        ------
        Dropped
            When a fault says that the connection is lost now.
        """
        answers: list[str | bytes] = []
        waits = GIVEN_UP.set(given_up)
        try:
            for command in commands(message):
                found = self._tree.answer(command)
                if found is not None:
                    answers.append(found)
        except MessageError as error:
            self._core.status.fail(error.code, error.text)
        except (PantelosError, ValueError, OverflowError) as error:
            self._core.status.fail(-200, f"Execution error; {error}")
        finally:
            GIVEN_UP.reset(waits)
        return [] if given_up() else answers
