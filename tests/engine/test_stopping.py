"""A solve can be stopped at every moment it asks, and says that it was stopped."""

import pytest

from gulch.demo import projects
from gulch.engine.explain import Plan
from gulch.engine.settle import Reason, Watch


class StopAt(Watch):
    """Ends a calculation the nth time it is asked, and from then on."""

    def __init__(self, n):
        self.left = n

    def ended(self):
        self.left -= 1
        return Reason.CANCELLED if self.left < 0 else None


@pytest.mark.parametrize("k", range(len(projects())), ids=lambda k: projects()[k].name)
def test_a_demo_can_be_stopped_whenever_it_asks(k):
    plan = Plan(projects()[k])
    for n in (*range(12), 20, 35, 1000):
        watch = StopAt(n)
        solution = plan.run(watch=watch)
        if watch.left >= 0:
            break
        assert not solution.solved
        assert solution.messages[-1].what
    assert n > 2 and solution.solved
