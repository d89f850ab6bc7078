"""`./tidy verify RUN …`: whether a run's files still are what they were when it was sealed."""

import sys
from pathlib import Path

from tidybench.runs.run_state import STATE, read_state
from tidybench.runs.seal import SealError, Verified, tape_words, verify
from tidybench.wire.places import Places, data_folder


def run(names: list[str]) -> int:
    """Verify each; gives the exit code: 0 where nothing has changed, 1 where something has, 2 where it cannot be told."""
    code = 0
    for name in names:
        try:
            folder = found(name)
            told = verify(folder)
        except SealError as error:
            print(f"{name}: {error} {tape_words(folder)}", file=sys.stderr)
            code = 2
            continue
        except (OSError, ValueError) as error:
            why = error.strerror if isinstance(error, OSError) else str(error)
            print(f"{name}: {why}", file=sys.stderr)
            code = 2
            continue
        print(f"{folder}\n{words(told)}")
        if told.problems:
            code = max(code, 1)
    return code


def words(told: Verified) -> str:
    """The outcome, a sentence a line."""
    seal = told.seal
    spaced = " ".join(seal.fingerprint[n : n + 4] for n in range(0, len(seal.fingerprint), 4))
    head = f"Seal {spaced}, {seal.files} files, {seal.bytes / 1e6:.1f} MB."
    if not told.problems:
        return "\n".join([head, "Checked: nothing has changed since.", *filter(None, [told.taken_out])])
    return "\n".join([head, *told.problems, *filter(None, [told.taken_out])])


def found(name: str) -> Path:
    """The run that is meant: by its folder, a file in it, its id, or a part of its folder's name. Raises ValueError."""
    path = Path(name)
    for place in (path, path.parent):
        if path.exists() and (place / STATE).is_file():
            return place
    base = data_folder()
    matching = []
    for data in (base, base.with_name(base.name + "-demo")):
        for state in sorted(Places(data).runs.glob(f"*/*/{STATE}")):
            if name and (
                name in f"{state.parent.parent.name}/{state.parent.name}" or _has_id(state.parent, name)
            ):
                matching.append(state.parent)
    if not matching:
        raise ValueError("There is no such run. Give its folder, its id, or a part of its folder's name.")
    if len(matching) > 1:
        some = "\n".join(f"  {one}" for one in matching[:10])
        raise ValueError(f"{len(matching)} runs are called so; say which:\n{some}")
    return matching[0]


def _has_id(folder: Path, name: str) -> bool:
    if len(name) != 36:
        return False
    try:
        return read_state(folder).id == name
    except (OSError, ValueError):
        return False
