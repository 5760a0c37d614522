"""A loop with three steady states in a real browser: they are listed, one is taken, and the choice stands."""

from acting import post
from heated import autothermal
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project


def test_a_steady_state_is_chosen_and_stands(page, user):
    row = create_project(user, autothermal(), "Heat returned")
    page.goto(f"/p/{row.pk}/loops/")
    steady = page.locator(".steady")
    expect(steady.locator("tbody tr, table tr")).to_have_count(4)  # a head and three states
    expect(steady).to_contain_text("unstable")
    expect(steady.locator("tr.here")).to_contain_text("150")
    post(page, lambda: page.click("#take-state-3"))
    expect(page.locator(".steady tr.here")).to_contain_text("538.6")
    expect(page.locator(".steady h3")).to_contain_text("you chose the hottest")
    page.goto(f"/p/{row.pk}/process/?select=hot")
    expect(page.locator("#stream-hot")).to_contain_text("538.6")
    page.goto(f"/p/{row.pk}/loops/")
    post(page, lambda: page.click("#take-state-2"))
    expect(page.locator(".steady tr.here")).to_contain_text("unstable")
    post(page, lambda: page.click("#any-state"))
    expect(page.locator(".steady tr.here")).to_be_visible()
