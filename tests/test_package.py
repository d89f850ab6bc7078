"""The package: a wheel has the pages and the set-ups, and runs from anywhere."""

import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from tests.conftest import ROOT, wait_for
from tests.test_command import address, data, get, processes_of, tidy
from tidybench.cluster import Cluster

__all__ = ["data"]


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What a wheel installs, in a folder of its own."""
    folder = tmp_path_factory.mktemp("wheel")
    done = subprocess.run([ROOT / "tidy", "wheel", folder], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    wheel = Path(done.stdout.strip())
    assert wheel.is_file()
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(folder / "installed")
    return folder / "installed"


def test_a_wheel_runs_with_its_own_pages_and_set_ups(installed: Path, data: Path) -> None:
    process = tidy("demo", data=data, source=installed)
    url = address(process)
    wait_for(lambda: get(url, "/api/health").json()["well"], "all to be well")
    page = get(url, "/")
    assert '<div id="root">' in page.text
    script = page.text.split('src="/assets/')[1].split('"')[0]
    assert get(url, f"/assets/{script}").status_code == 200
    assert len(get(url, "/api/library").json()) >= 6
    wait_for(lambda: len(get(url, "/api/setups").json()) >= 9, "the demo's set-ups")
    assert any(str(installed) in command for command in processes_of(data).values())
    process.terminate()
    assert process.wait(20) == 0
    assert not Cluster(data, data / "x.log").alive


def test_the_command_is_an_entry_of_the_package(installed: Path) -> None:
    [info] = installed.glob("tidybench-*.dist-info")
    assert "tidy = tidybench.cli:main" in (info / "entry_points.txt").read_text()
    code = "import tidybench, sys; from tidybench.cli import main; print(tidybench.__file__); sys.exit(main(['help']))"
    done = subprocess.run(
        [sys.executable, "-c", code],
        env={"PYTHONPATH": str(installed)},
        capture_output=True,
        text=True,
        cwd="/",
    )
    assert done.returncode == 0, done.stderr
    assert str(installed) in done.stdout
