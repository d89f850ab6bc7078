"""Sessions of browsers: a secret of their own, short-lived, taken away."""

from pathlib import Path

from tidybench.web.sessions import LASTS, MAX_SESSIONS, Sessions


def test_a_session_ends_when_it_was_not_used_for_long(tmp_path: Path) -> None:
    now = [1000.0]
    sessions = Sessions(tmp_path / "s.json", lambda: now[0])
    secret = sessions.begin()
    assert sessions.holds(secret)
    assert not sessions.holds(secret + "x")
    assert not sessions.holds("")
    assert secret not in (tmp_path / "s.json").read_text()
    now[0] += LASTS - 10
    assert sessions.holds(secret)  # used: it begins to last anew
    now[0] += LASTS - 10
    assert Sessions(tmp_path / "s.json", lambda: now[0]).holds(secret)  # another process
    now[0] += LASTS + 10
    assert not sessions.holds(secret)


def test_the_file_taken_away_or_spoilt_ends_all(tmp_path: Path) -> None:
    path = tmp_path / "s.json"
    sessions = Sessions(path)
    one, two = sessions.begin(), sessions.begin()
    assert sessions.holds(one)
    path.unlink()
    assert not sessions.holds(two)
    three = sessions.begin()
    path.write_text("[1, 2")
    assert not sessions.holds(three)
    assert sessions.holds(sessions.begin())


def test_of_many_the_one_used_longest_ago_goes(tmp_path: Path) -> None:
    now = [0.0]
    sessions = Sessions(tmp_path / "s.json", lambda: now[0])
    secrets = []
    for _ in range(MAX_SESSIONS + 5):
        now[0] += 1
        secrets.append(sessions.begin())
    assert [sessions.holds(one) for one in secrets] == [False] * 5 + [True] * MAX_SESSIONS
