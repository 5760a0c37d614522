"""Who waits for a place is let in in order, those in a hurry first."""

import threading
import time

from gulch.web.projects.turnstile import Turnstile


def test_only_so_many_at_once_and_the_hurried_first():
    gate, inside, most, order = Turnstile(1), [], [], []

    def work(name, hurry):
        with gate.passed(hurry):
            inside.append(name)
            most.append(len(inside))
            order.append(name)
            inside.remove(name)

    with gate.passed():
        threads = []
        for name, hurry in (("first", False), ("second", False), ("hurried", True)):
            threads.append(threading.Thread(target=work, args=(name, hurry)))
            threads[-1].start()
            while len(gate._others) + len(gate._hurried) < len(threads):
                time.sleep(0.001)
        assert order == []
    for t in threads:
        t.join(10)
    assert order == ["hurried", "first", "second"]
    assert max(most) == 1


def test_a_place_is_given_back_after_a_fault():
    gate = Turnstile(1)
    for _ in range(2):
        try:
            with gate.passed():
                raise ValueError
        except ValueError:
            pass
    with gate.passed():
        pass


def test_who_waits_for_something_else_lets_others_in_meanwhile():
    gate, inside = Turnstile(1), []

    def work():
        with gate.passed():
            inside.append("other")

    with gate.passed():
        other = threading.Thread(target=work)
        other.start()
        with gate.left():
            other.join(10)
        inside.append("back")
    assert inside == ["other", "back"]
    with gate.left():  # who holds none gives none up
        assert gate._free == 1


def test_a_place_that_is_held_for_ever_stops_nobody():
    gate = Turnstile(1, patience=0.05)
    held, done = threading.Event(), threading.Event()

    def hang():
        with gate.passed():
            held.set()
            done.wait(10)

    thread = threading.Thread(target=hang)
    thread.start()
    assert held.wait(10)
    with gate.passed():
        assert gate._free == -1
    assert gate._free == 0
    done.set()
    thread.join(10)
    assert gate._free == 1
