"""A worker that is lost costs the job it had, and nothing else."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from keel_line._shared.pulse import pulse
from keel_line.desk.desk import taken_from
from keel_line.desk.pool import Limits, WorkerLost, WorkerPool
from keel_line.desk.work import PageRequest, answer_page, response_from

REQUEST = PageRequest(7, "scan.png", b"", 3)


def double(number: int) -> int:
    return 2 * number


def kill_itself() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def never_end() -> None:
    while True:
        time.sleep(0.01)


def work_for(seconds: float, share: float) -> str:
    """Work without a pulse, with a core for a share of the time, as beside other programs."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        own = time.process_time() + 0.1 * share
        while time.process_time() < own:
            pass
        time.sleep(0.1 * (1 - share))
    return "done"


def blocks_ctrl_c() -> bool:
    return signal.SIGINT in signal.pthread_sigmask(signal.SIG_BLOCK, [])


def take_long_but_go_on(seconds: float) -> str:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        time.sleep(0.05)
        pulse()
    return "done"


def take_memory(megabytes: int) -> int:
    return len(bytearray(megabytes * 1_000_000))


def fail() -> None:
    raise EOFError("of the job's own")


def return_what_cannot_be_sent() -> object:
    return lambda: None


@pytest.fixture(scope="module")
def pool() -> Iterator[WorkerPool]:
    made = WorkerPool(2, Limits(memory=1_000_000_000))
    yield made
    made.shutdown(cancel_futures=True)


@pytest.fixture(scope="module")
def impatient_pool() -> Iterator[WorkerPool]:
    made = WorkerPool(2, Limits(stall_s=4.0))
    yield made
    made.shutdown(cancel_futures=True)


def test_a_worker_that_dies_costs_its_own_job_alone(pool: WorkerPool) -> None:
    dying = pool.submit(kill_itself)
    others = [pool.submit(double, n) for n in range(8)]
    assert [f.result() for f in others] == [0, 2, 4, 6, 8, 10, 12, 14]
    with pytest.raises(WorkerLost, match="died"):
        dying.result()


def test_a_job_without_a_sign_of_life_is_ended(impatient_pool: WorkerPool) -> None:
    stalled = impatient_pool.submit(never_end)
    going_on = impatient_pool.submit(take_long_but_go_on, 6.0)
    with pytest.raises(WorkerLost, match="stalled"):
        stalled.result()
    assert going_on.result() == "done"
    assert impatient_pool.submit(double, 21).result() == 42
    told = response_from(REQUEST, impatient_pool.submit(never_end))  # type: ignore[arg-type] # never answers
    assert "took too long" in told.trouble


def test_a_job_that_seldom_has_a_core_is_not_ended(impatient_pool: WorkerPool) -> None:
    assert impatient_pool.submit(work_for, 6.0, 0.2).result() == "done"


def test_a_job_that_works_on_and_on_is_ended(impatient_pool: WorkerPool) -> None:
    with pytest.raises(WorkerLost, match="stalled"):
        impatient_pool.submit(work_for, 60.0, 0.9).result()


def test_a_job_gets_no_more_memory_than_its_limit(pool: WorkerPool) -> None:
    with pytest.raises(MemoryError):
        pool.submit(take_memory, 2000).result()
    assert pool.submit(take_memory, 100).result() == 100_000_000


def test_what_a_job_raises_comes_back_as_it_was(pool: WorkerPool) -> None:
    with pytest.raises(EOFError, match="of the job's own"):
        pool.submit(fail).result()
    with pytest.raises(RuntimeError, match="lambda"):
        pool.submit(return_what_cannot_be_sent).result()


def test_a_worker_whose_job_raised_works_on() -> None:
    with WorkerPool(1) as one:
        for _ in range(3):
            with pytest.raises(EOFError):
                one.submit(fail).result()
        assert one.submit(double, 4).result() == 8
        assert len(one.process_ids()) == 1


def test_closing_ends_jobs_that_never_end() -> None:
    closing = WorkerPool(1)
    job = closing.submit(never_end)
    while not closing.process_ids():
        time.sleep(0.01)
    (worker,) = closing.process_ids()
    closing.shutdown(wait=False, cancel_futures=True)
    with pytest.raises(WorkerLost):
        job.result()
    assert not Path(f"/proc/{worker}").exists()


_PARENT = """
import time
from keel_line.desk.pool import WorkerPool
from tests.desk.test_pool import never_end
if __name__ == "__main__":
    pool = WorkerPool(2)
    jobs = [pool.submit(never_end) for _ in range(2)]
    while len(pool.process_ids()) < 2:
        time.sleep(0.01)
    time.sleep(1.5)  # until they are at work
    print(*pool.process_ids(), flush=True)
    time.sleep(60)
"""


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGTERM])
def test_workers_end_with_their_parent(how: signal.Signals, tmp_path: Path) -> None:
    script = tmp_path / "parent.py"
    script.write_text(_PARENT)
    root = Path(__file__).resolve().parents[2]
    run = subprocess.Popen(
        [sys.executable, script],
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": str(root)},
    )
    assert run.stdout is not None
    workers = run.stdout.readline().split()
    assert len(workers) == 2
    run.send_signal(how)
    run.wait()
    run.stdout.close()
    until = time.monotonic() + 60  # a busy machine takes its time
    while any(_is_alive(w) for w in workers) and time.monotonic() < until:
        time.sleep(0.02)
    assert not any(_is_alive(w) for w in workers)


_BLOCKED = """
from keel_line.desk.pool import WorkerPool
from tests.desk.test_pool import blocks_ctrl_c
if __name__ == "__main__":
    with WorkerPool(1) as pool:
        print(pool.submit(blocks_ctrl_c).result())
"""


def test_the_first_worker_too_starts_with_ctrl_c_blocked(tmp_path: Path) -> None:
    # Only a new process shows it: its first worker is what starts the tracker of resources.
    script = tmp_path / "parent.py"
    script.write_text(_BLOCKED)
    root = Path(__file__).resolve().parents[2]
    said = subprocess.check_output(
        [sys.executable, script], text=True, env={**os.environ, "PYTHONPATH": str(root)}
    )
    assert said == "True\n"


def _is_alive(process: str) -> bool:
    try:
        state = Path(f"/proc/{process}/stat").read_text()
    except FileNotFoundError:
        return False
    return state.rsplit(")", 1)[1].split()[0] != "Z"  # ended, and waited for by nobody yet


def test_each_loss_is_told_of_its_page(pool: WorkerPool) -> None:
    dead = response_from(REQUEST, pool.submit(kill_itself))  # type: ignore[arg-type] # never answers
    assert dead.page_id == 7
    assert dead.trouble.startswith("Page 3 of scan.png could not be read: damaged")
    assert "Ctrl+R retries" in dead.trouble
    big = response_from(REQUEST, pool.submit(take_memory, 5000))  # type: ignore[arg-type] # never answers
    assert "too much memory" in big.trouble
    lost = taken_from(Path("scan.png"), pool.submit(kill_itself))  # type: ignore[arg-type] # never answers
    assert lost.trouble.startswith("scan.png is damaged, or needs too much memory")


def test_a_fault_of_our_own_is_told_of_its_page_and_logged(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def break_down(*_args: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr("keel_line.desk.work.process_page", break_down)
    answer = answer_page(REQUEST)
    assert "because of a fault in Keel Line" in answer.trouble
    assert "ZeroDivisionError" in caplog.text
