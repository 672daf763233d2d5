"""A few of the mutated inputs of `make fuzz`, those that once were faults among them."""

import pytest
from fuzzing import Fuzz

ONCE_FAULTS = ()


@pytest.fixture(scope="module")
def fuzz(tmp_path_factory):
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PANTELOS_CACHE", str(tmp_path_factory.mktemp("cache")))
        patch.setenv("PANTELOS_SETTINGS", str(tmp_path_factory.mktemp("settings")))
        yield Fuzz(tmp_path_factory.mktemp("fuzz"))


@pytest.mark.filterwarnings("ignore")  # numbers of damaged files may be anything
def test_mutated_inputs_are_understood_or_refused_in_one_sentence(fuzz):
    kinds = [fuzz.case(number) for number in (*ONCE_FAULTS, *range(1_000_000, 1_000_250))]
    assert {"recording", "study", "formula", "sentence"} == set(kinds)
