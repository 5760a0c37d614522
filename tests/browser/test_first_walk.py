"""The first walk: a newcomer follows the steps shown, and closes a recycle loop with few actions."""

import re

from acting import arrived, go, post, ready
from playwright.sync_api import expect


class Newcomer:
    """Does what the walk says, and counts: every click, every field filled and every choice is one action."""

    def __init__(self, page):
        self.page, self.actions = page, 0

    def click(self, selector):
        self.actions += 1
        self.page.locator(selector).first.click()
        arrived(self.page)

    def press(self, selector):
        """Click what makes an edit."""
        self.actions += 1
        post(self.page, self.page.locator(selector).first.click)

    def type(self, selector, text):
        self.actions += 1
        self.page.fill(selector, text)
        post(self.page, lambda: self.page.press(selector, "Enter"))
        self.page.keyboard.press("Tab")

    def open(self, stream):
        """Choose a stream in the ledger, and wait until the inspector shows it."""
        self.click(f"#stream-{stream} a")
        expect(self.page.locator("#rename")).to_have_value(stream)

    def choose(self, selector, value):
        self.actions += 1
        self.page.select_option(selector, value)

    def step(self, number, words):
        """The walk shows this step, and where: the control is marked and has the focus."""
        expect(self.page.locator("#walk")).to_contain_text(f"step {number} of 8")
        expect(self.page.locator("#walk p")).to_contain_text(words)
        self.click("#walk-there")
        expect(self.page.locator(".next-step")).to_be_focused()


def test_a_newcomer_closes_a_loop_in_few_actions(page, user):
    page.goto("/")
    me = Newcomer(page)
    me.click("#start-empty")
    ready(page)
    me.step(1, "Type the reaction")
    me.type("#new-equation", "C2H4 + H2O = ethanol")
    expect(page.locator("#reaction-r1")).to_contain_text("balanced")
    me.type("#conversion-r1", "7 %")
    me.step(2, "Add a feed")
    me.press("#add-feed")
    me.step(3, "how much")
    me.type("[id='f-feed1.flow.ethylene']", "100")
    me.type("[id='f-feed1.flow.water']", "80")
    me.type("[id='f-feed1.temperature']", "230")
    me.type("[id='f-feed1.pressure']", "60")
    me.step(4, "Append a reactor")
    me.press("#append-stoichiometric-reactor")
    me.open("S1")
    me.step(5, "Append a separator")
    me.press("#append-heater")
    me.type("[id='f-H1.temperature']", "40")
    me.open("S2")
    me.press("#append-flash-drum")
    me.open("S3")
    me.press("#append-splitter")
    me.type("[id='f-SPLIT1.drawn']", "5")
    me.step(6, "Send what did not react back")
    me.choose("#send-to", "R1")
    me.press("#send")
    expect(page.locator(".loop-chip")).to_contain_text("passes")
    expect(page.locator("#state")).to_contain_text("solved")
    me.step(7, "what an input does")
    me.press("#add-first-scan")
    me.step(8, "Run it")
    me.press("#run-scan")
    expect(page.locator("#scan-answer, .answer").first).to_contain_text("onversion")
    expect(page.locator("#walk")).to_have_count(0)
    assert me.actions <= 33, me.actions  # eight of them ask the walk where


def test_a_loop_and_an_answered_scan_take_twenty_five_actions(page, user):
    """As somebody who knows the way does it: every click, every field filled and every choice is one action."""
    page.goto("/")
    me = Newcomer(page)
    me.click("#start-empty")
    ready(page)
    me.type("#new-equation", "C2H4 + H2O = C2H5OH")
    me.type("#conversion-r1", "7 %")
    me.click("#rail-process")
    me.press("#add-feed")
    for field, text in (("flow.ethylene", "100"), ("flow.water", "80"), ("temperature", "230"), ("pressure", "60")):
        me.type(f"[id='f-feed1.{field}']", text)
    me.press("#append-stoichiometric-reactor")
    me.open("S1")
    me.press("#append-heater")
    me.type("[id='f-H1.temperature']", "40")
    me.open("S2")
    me.press("#append-flash-drum")
    me.open("S3")
    me.press("#append-splitter")
    me.type("[id='f-SPLIT1.drawn']", "5")
    me.open("S6")
    me.choose("#send-to", "R1")
    me.press("#send")
    expect(page.locator("#state")).to_contain_text("solved")
    me.click("#rail-scans")
    me.press("#add-first-scan")
    me.press("#run-scan")
    expect(page.locator("#scan-answer")).to_contain_text("onversion", timeout=60_000)
    assert page.locator(".loop-chip, #scan-plot").count() and me.actions <= 25, me.actions


def test_a_new_best_with_a_new_aim_takes_three_actions(page, row):
    """Ctrl K, the question, run: nothing is prepared before."""
    page.goto(f"/p/{row.pk}/process/")
    ready(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("highest selectivity to ethanol")
    expect(page.locator("#palette-list li").first).to_contain_text("Find the highest selectivity to ethanol")
    post(page, lambda: page.keyboard.press("Enter"))
    expect(page.locator("#best-aim")).to_have_value("selectivity to ethanol")
    page.click("#run-best")
    expect(page.locator("#best-answer")).to_contain_text("Highest selectivity to ethanol", timeout=200_000)


def test_the_walk_can_be_left_and_does_not_come_back(page, user):
    page.goto("/")
    page.click("#start-empty")
    ready(page)
    expect(page.locator(".next-step")).to_have_attribute("id", "new-equation")
    page.click("#leave-walk")
    expect(page.locator("#walk")).to_have_count(0)
    expect(page.locator(".next-step")).to_have_count(0)
    go(page, "process")
    expect(page.locator("#walk")).to_have_count(0)
    assert re.search(r"/p/\d+/process/", page.url)


def test_demos_are_not_walked(page, row):
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#workspace")).to_be_visible()
    expect(page.locator("#walk")).to_have_count(0)
