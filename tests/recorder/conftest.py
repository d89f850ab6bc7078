"""Instruments of the recorder's tests."""

from collections.abc import Iterator

import pytest

from tests.conftest import RecorderProcess, wait_for
from tests.recorder.handing_on import TEXT, Meter
from tests.recorder.test_captures import recorder_there
from tidybench.wire.protocol import Answer
from tidybench.wire.setups import ApplySetups, SetupText


@pytest.fixture
def meter(recorder: RecorderProcess) -> Iterator[Meter]:
    """A recorder that listens to it, and reads it."""
    made = Meter()
    recorder.start()
    wait_for(lambda: recorder_there(recorder), "the recorder")
    text = TEXT.replace("PORT", made.path)
    answered = recorder.ask(ApplySetups(setups=[SetupText(id="meter", text=text)], calculations=""))[0]
    assert isinstance(answered, Answer)
    assert not answered.why
    made.start()
    wait_for(recorder.all_passing, "it to pass")
    yield made
    made.stop()
