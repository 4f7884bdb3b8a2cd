"""A window's jobs: the newest wish counts, what was begun is shown, and queued work is never lost."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

import pytest

from collage.app.shell.jobs import CLOSING, THREADS, Jobs, Latest
from collage.app.shell.start import wait_until
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps


@pytest.fixture
def jobs(qapp):
    made = Jobs()
    yield made
    made.close()


@pytest.fixture
def latest(jobs: Jobs) -> Latest:
    return Latest(jobs)


def test_what_was_begun_is_shown_and_then_the_newest_wish(latest: Latest) -> None:
    answers: list[int] = []
    latest.answered.connect(answers.append)
    started, go = threading.Event(), threading.Event()

    def slow(_overtaken):
        started.set()
        go.wait(5)
        yield 1

    latest.ask(slow)
    assert started.wait(5)
    for number in (2, 3):
        latest.ask(lambda _overtaken, number=number: [number])
    go.set()
    assert wait_until(lambda: latest.idle)
    assert answers == [1, 3]


def test_a_steady_stream_of_wishes_is_answered_all_the_time(latest: Latest) -> None:
    """Each answer takes longer than the next wish takes to come: pictures must come all the same."""
    answers: list[int] = []
    latest.answered.connect(answers.append)

    def picture(number: int):
        def work(_overtaken):
            time.sleep(0.02)
            yield number

        return work

    for number in range(60):
        latest.ask(picture(number))
        wait_until(lambda: False, 0.005)
    assert wait_until(lambda: latest.idle)
    assert len(answers) >= 8
    assert answers == sorted(answers)
    assert answers[-1] == 59


def test_long_work_hears_that_it_is_overtaken(latest: Latest) -> None:
    answers: list[object] = []
    latest.answered.connect(answers.append)
    begun = threading.Event()

    def endless(overtaken):
        begun.set()
        while not overtaken():
            time.sleep(0.001)
        yield "given up"

    latest.ask(endless)
    assert begun.wait(5)
    latest.ask(lambda _overtaken: ["next"])
    assert wait_until(lambda: latest.idle)
    assert answers == ["given up", "next"]


def test_an_error_is_told_and_the_thread_lives_on(latest: Latest, capsys) -> None:
    told: list[CollageError] = []
    answers: list[int] = []
    latest.failed.connect(told.append)
    latest.answered.connect(answers.append)

    def broken(_overtaken):
        raise ZeroDivisionError("no")
        yield

    latest.ask(broken)
    assert wait_until(lambda: len(told) == 1)
    assert "Something went wrong" in str(told[0])
    latest.ask(lambda _overtaken: [7])
    assert wait_until(lambda: answers == [7])
    assert "ZeroDivisionError" in capsys.readouterr().err


def test_answers_come_on_the_windows_own_thread(latest: Latest) -> None:
    where: list[threading.Thread] = []
    latest.answered.connect(lambda _answer: where.append(threading.current_thread()))
    latest.ask(lambda _overtaken: [1])
    assert wait_until(lambda: bool(where))
    assert where == [threading.main_thread()]


def steps(done: list[str], name: str, gate: threading.Event | None = None) -> Callable[..., Steps[str]]:
    def make(_cancelled: Callable[[], bool]) -> Steps[str]:
        for part in range(3):
            if gate is not None:
                gate.wait(5)
            yield Progress(name, part / 3)
        done.append(name)
        return name

    return make


def test_no_queued_work_is_lost_and_each_is_followed_by_its_own(jobs: Jobs) -> None:
    """A second file job once took the place of what should have followed the first."""
    done: list[str] = []
    followed: list[str] = []
    for name in ("copy a", "copy b", "copy c"):
        jobs.queue(name, steps(done, name), followed.append)
    assert wait_until(lambda: jobs.idle)
    assert done == followed == ["copy a", "copy b", "copy c"]


def test_a_lane_works_in_order_and_lanes_beside_each_other(jobs: Jobs) -> None:
    done: list[str] = []
    gate = threading.Event()
    jobs.queue("copy", steps(done, "copy", gate))
    jobs.queue("render", steps(done, "render"), lane="render")
    assert wait_until(lambda: done == ["render"]), "a render does not wait for files"
    gate.set()
    assert wait_until(lambda: jobs.idle)


def test_queued_work_is_cancelled_before_and_while_it_runs(jobs: Jobs) -> None:
    done: list[str] = []
    gate = threading.Event()
    first = jobs.queue("first", steps(done, "first", gate), done.append)
    second = jobs.queue("second", steps(done, "second"), done.append)
    second.cancel()
    first.cancel()
    gate.set()
    assert wait_until(lambda: jobs.idle)
    assert done == []


def test_a_failure_is_told_and_the_next_work_runs(jobs: Jobs) -> None:
    told: list[CollageError] = []
    done: list[str] = []

    def bad(_cancelled: Callable[[], bool]) -> Steps[None]:
        yield Progress("bad", 0.0)
        raise CollageError("The disk is full.")

    jobs.queue("bad", bad, done.append, told.append)
    jobs.queue("good", steps(done, "good"))
    assert wait_until(lambda: jobs.idle)
    assert [str(one) for one in told] == ["The disk is full."]
    assert done == ["good"]


def test_progress_says_what_how_far_and_how_long(jobs: Jobs) -> None:
    gate = threading.Event()
    ticket = jobs.queue("copying", steps([], "Copying wall.png", gate))
    gate.set()
    assert wait_until(lambda: jobs.idle)
    ticket._begin = time.monotonic() - 30
    ticket.progress = Progress("Copying wall.png", 0.25)
    assert ticket.text == "Copying wall.png · 25% · 2 min left" or ticket.text.endswith("90 s left")


def test_threads_are_few_and_closing_does_not_wait_for_endless_work(qapp) -> None:
    jobs = Jobs()
    lanes = [Latest(jobs, urgent=number == 0) for number in range(12)]
    held, ended = threading.Event(), []
    for lane in lanes:
        lane.ask(lambda _overtaken: (held.wait(60), ended.append(1), [1])[2])
    before = [thread for thread in threading.enumerate() if thread.name.startswith("collage ")]
    assert len([thread for thread in before if thread in jobs._threads]) <= THREADS
    assert CLOSING <= 1.0, "a window closes within a second"
    jobs.close()
    assert ended == [], "closed while the work still ran: a full minute was not waited for"
    held.set()


def test_what_the_hand_waits_for_never_waits_for_other_work(jobs: Jobs) -> None:
    held = threading.Event()
    others = [Latest(jobs) for _ in range(8)]
    for lane in others:
        lane.ask(lambda _overtaken: (held.wait(90), [1])[1])
    preview = Latest(jobs, urgent=True)
    answers: list[int] = []
    preview.answered.connect(answers.append)
    preview.ask(lambda _overtaken: [1])
    assert wait_until(lambda: answers == [1])
    held.set()


def test_while_a_hand_moves_what_stands_back_is_done_one_after_the_other_and_none_is_lost(
    jobs: Jobs, monkeypatch
) -> None:
    monkeypatch.setattr("collage.app.shell.jobs.MOVING", 0.3)
    running, most, done = [0], [0], []

    def other(_overtaken):
        running[0] += 1
        most[0] = max(most[0], running[0])
        time.sleep(0.02)
        running[0] -= 1
        done.append(1)
        return []

    preview, others = Latest(jobs, urgent=True), [Latest(jobs, behind=True) for _ in range(6)]
    preview.ask(lambda _overtaken: [])
    for lane in others:
        lane.ask(other)
    while len(done) < 4:  # the hand goes on
        preview.ask(lambda _overtaken: [])
        wait_until(lambda: False, 0.01)
    assert most == [1]
    assert wait_until(lambda: len(done) == 6), "the rest is done though nothing else is asked for"


def test_what_is_slow_has_the_processors_for_itself_until_the_hand_rests(jobs: Jobs, monkeypatch) -> None:
    monkeypatch.setattr("collage.app.shell.jobs.MOVING", 0.3)
    preview, behind, done = Latest(jobs, urgent=True), Latest(jobs, behind=True), []
    jobs.slow = True
    preview.ask(lambda _overtaken: [])
    behind.ask(lambda _overtaken: done.append("picture of a card") or [])
    jobs.submit(lambda: done.append("kept for a crash"))
    for _ in range(30):
        preview.ask(lambda _overtaken: [])
        wait_until(lambda: False, 0.01)
    assert done == ["kept for a crash"]
    assert wait_until(lambda: done[1:] == ["picture of a card"]), "it rests"


def test_the_window_never_waits_for_a_thread(latest: Latest) -> None:
    held, ended = threading.Event(), []
    latest.ask(lambda _overtaken: (held.wait(60), ended.append(1), [1])[2])
    for _ in range(100):
        latest.ask(lambda _overtaken: [2])
    assert ended == [], "asking a hundred times came back while the first work still ran"
    held.set()


def test_freed_memory_goes_back_once_nothing_has_been_asked_for_a_while(jobs: Jobs, monkeypatch) -> None:
    given: list[int] = []
    monkeypatch.setattr("collage.app.shell.jobs.REST", 0.05)
    monkeypatch.setattr("collage.app.shell.jobs.give_back_memory", lambda: given.append(1))
    latest, go = Latest(jobs), threading.Event()

    def slow(_overtaken):
        go.wait(10)
        yield 1

    quick = Latest(jobs)
    quick.ask(lambda _overtaken: [1])
    latest.ask(slow)
    wait_until(lambda: False, 0.3)
    assert given == [], "while something is under way, memory is about to be used"
    go.set()
    assert wait_until(lambda: given == [1], 5)
    wait_until(lambda: False, 0.3)
    assert given == [1], "once is enough"


def test_looks_now_and_then_do_not_keep_freed_memory(jobs: Jobs, monkeypatch) -> None:
    """Files are looked at twice a second: the window is at rest all the same."""
    given: list[int] = []
    monkeypatch.setattr("collage.app.shell.jobs.REST", 0.3)
    monkeypatch.setattr("collage.app.shell.jobs.give_back_memory", lambda: given.append(1))
    looks, watch, work = [], Latest(jobs, light=True), Latest(jobs)
    work.ask(lambda _overtaken: [1])
    assert wait_until(lambda: not jobs.at_rest, 5)
    for _ in range(40):
        watch.ask(lambda _overtaken: [looks.append(1)])
        wait_until(lambda: False, 0.05)
    assert len(looks) > 5
    assert given == [1]
    assert jobs.at_rest
    assert wait_until(lambda: jobs.idle, 5)
