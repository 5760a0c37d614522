"""The map of small and large processes: nothing on anything else, nothing too small to read; dividers; the map alone."""

import pytest
from acting import fill, press, ready
from helpers import plant
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project

# Pairs of texts that overlap, texts on a unit not their own, streams over units, and the smallest text [px].
MEASURE = """(streams) => {
  const canvas = document.querySelector('#map-canvas'), box = (n) => n.getBoundingClientRect();
  const texts = [...canvas.querySelectorAll('text:not(:has(tspan)), tspan')], pairs = [], over = [], crossed = [];
  const meet = (a, b) => a.left < b.right - 0.5 && b.left < a.right - 0.5 && a.top < b.bottom - 0.5 && b.top < a.bottom - 0.5;
  const ink = (n) => {
    const b = box(n), cut = 0.14 * b.height; // a line's box is higher than its letters
    return { left: b.left, right: b.right, top: b.top + cut, bottom: b.bottom - cut };
  };
  texts.forEach((a, i) => texts.slice(i + 1).forEach((b) => {
    if (meet(ink(a), ink(b))) pairs.push(a.textContent + ' | ' + b.textContent);
  }));
  for (const u of canvas.querySelectorAll('.unit-g')) {
    const plate = box(u.querySelector('.plate'));
    for (const t of texts) if (!u.contains(t) && meet(ink(t), plate)) over.push(t.textContent + ' on ' + u.dataset.id);
    for (const t of u.querySelectorAll('tspan')) if (box(t).right > plate.right + 1) over.push(t.textContent + ' out of ' + u.dataset.id);
    for (const s of streams ? canvas.querySelectorAll('.stream-g') : []) {
      const path = s.querySelector('.channel'), m = path.getScreenCTM(), length = path.getTotalLength();
      const inside = (p) => {
        const x = p.x * m.a + m.e, y = p.y * m.d + m.f;
        return x > plate.left + 2 && x < plate.right - 2 && y > plate.top + 2 && y < plate.bottom - 2;
      };
      for (let at = 12; at < length - 12; at += 6)
        if (inside(path.getPointAtLength(at))) { crossed.push(s.dataset.id + ' over ' + u.dataset.id); break; }
    }
  }
  const k = canvas.querySelector('svg').getScreenCTM().a, sizes = texts.map((t) => k * parseFloat(t.getAttribute('font-size')));
  return { pairs, over, crossed, smallest: Math.min(...sizes), names: texts.length };
}"""


@pytest.mark.parametrize("count", [5, 16, 30, 60])
def test_nothing_stands_on_anything_else_at_any_size(page, user, count):
    row = create_project(user, plant(count), "Start")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(count)
    for says in ("flow", "state", "name"):
        page.select_option("#streams-say", says)
        for look in ("#zoom-fit", "#zoom-in", "#zoom-in", "#zoom-in"):
            found = page.evaluate(MEASURE, says == "flow" and look == "#zoom-fit")
            assert not found["pairs"] and not found["over"] and not found["crossed"], (says, found)
            assert found["smallest"] >= 11.0 and found["names"] >= min(count, 30)
            page.click(look)


def test_units_far_away_are_brought_into_view_when_walked_to(page, user):
    row = create_project(user, plant(60), "Start")
    page.goto(f"/p/{row.pk}/process/")
    first = page.locator("#map-canvas .unit-g").first
    expect(first).to_be_visible()
    first.focus()
    for _ in range(14):
        page.keyboard.press("ArrowRight")
    inside = """() => {
      const [c, b] = [document.querySelector('#map-canvas'), document.activeElement].map((n) => n.getBoundingClientRect());
      return b.width > c.width || (b.left >= c.left - 1 && b.right <= c.right + 1); }"""
    assert page.evaluate(inside)


def test_dividers_and_the_map_alone(page, row):
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g").first).to_be_visible()
    height = lambda: page.locator("#map").bounding_box()["height"]  # noqa: E731
    before = height()
    bar = page.locator("[data-pane='--map-share']")
    bar.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    assert height() > before + 20
    page.reload()
    expect(page.locator("#map-canvas .unit-g").first).to_be_visible()
    assert height() > before + 20  # remembered
    at = bar.bounding_box()
    page.mouse.move(at["x"] + 200, at["y"] + 3)
    page.mouse.down()
    page.mouse.move(at["x"] + 200, at["y"] - 97)
    page.mouse.up()
    assert height() < before
    page.click("#map-alone")
    expect(page.locator("#ledger")).to_be_hidden()
    assert page.locator("#map").bounding_box()["width"] > 1200
    page.keyboard.press("Escape")
    expect(page.locator("#ledger")).to_be_visible()


def test_a_unit_more_changes_only_the_row_it_hangs_on(page, user):
    row = create_project(user, plant(60), "Start")
    page.goto(f"/p/{row.pk}/process/?select=product")
    ready(page)
    expect(page.locator("#map-canvas .unit-g")).to_have_count(60)
    units = "[...document.querySelectorAll('#map-canvas .unit-g')]"
    places = f"() => Object.fromEntries({units}.map((n) => [n.dataset.id, n.getAttribute('transform')]))"
    before = page.evaluate(places)
    press(page, "#append-heater")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(61)
    after = page.evaluate(places)
    moved = {u for u in before if before[u] != after[u]}
    assert len(moved) < 30  # the rows above stay as they are
    for look in ("#zoom-fit", "#zoom-in"):
        page.click(look)
        found = page.evaluate(MEASURE, look == "#zoom-fit")
        assert not found["pairs"] and not found["over"] and not found["crossed"], found


def test_two_hundred_units_are_read_by_panning(page, user):
    row = create_project(user, plant(200), "Start")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(200)
    page.click("#map-alone")
    page.click("#zoom-fit")
    whole = page.evaluate(MEASURE, False)
    assert not whole["pairs"] and not whole["over"] and whole["smallest"] >= 11.0, whole
    for _ in range(7):
        page.click("#zoom-in")
    canvas = page.locator("#map-canvas").bounding_box()
    seen = set()
    for way in (-1, 1, -1):
        page.mouse.move(canvas["x"] + 600 - 500 * way, canvas["y"] + 420)
        page.mouse.down()
        page.mouse.move(canvas["x"] + 600 + 500 * way, canvas["y"] + 380, steps=8)
        page.mouse.up()
        found = page.evaluate(MEASURE, False)
        assert not found["pairs"] and not found["over"] and found["smallest"] >= 11.0, found
        seen |= set(page.locator("#map-canvas .unit-g .nm").all_text_contents())
    assert len(seen) >= 60 and not any("…" in name for name in seen)  # ids in full


def test_a_page_at_rest_stays_at_rest(page, user):
    """After an edit nothing goes on in the background that the next one would have to wait for."""
    page.add_init_script(
        "window.told = 0; const Watching = ResizeObserver;"
        "window.ResizeObserver = class extends Watching { constructor(tell) { super((...a) => { window.told++; tell(...a); }); } };"
    )
    row = create_project(user, plant(5), "Start")
    page.goto(f"/p/{row.pk}/process/?select=COOLER_2")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(5)
    ready(page)
    fill(page, "[id='f-COOLER_2.temperature']", "33")
    page.set_viewport_size({"width": 1180, "height": 700})
    expect(page.locator("#map-canvas .unit-g")).to_have_count(5)
    page.wait_for_timeout(400)
    before = page.evaluate("window.told")
    page.wait_for_timeout(600)
    assert 0 < before == page.evaluate("window.told") < 20


def test_a_map_follows_its_canvas(page, user):
    """What changes the size of the map, without the window changing, has it drawn anew to fit."""
    row = create_project(user, plant(5), "Start")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(5)
    drawn = "() => document.querySelector('#map-canvas svg').getAttribute('viewBox')"
    before = page.evaluate(drawn)
    page.evaluate("document.documentElement.style.setProperty('--map-share', '20')")
    expect(page.locator("#map-canvas svg")).not_to_have_attribute("viewBox", before)


def test_what_is_written_on_the_map_is_text(page, user):
    row = create_project(user, plant(5), "Start")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(5)
    words = '<img src=x onerror="window.hit = 1">&amp;'
    page.evaluate(
        """(words) => {
          const node = document.getElementById('map-data'), map = JSON.parse(node.textContent);
          map.units[0].headline = words;
          map.streams[1].text = words + ' kmol/h';
          map.loops.push({ letter: 'A', label: words, units: map.units.map((u) => u.id), settled: false, why: words });
          node.textContent = JSON.stringify(map);
          document.dispatchEvent(new Event('gulch:drawn'));
        }""",
        words,
    )
    expect(page.locator(".loop-chip text")).to_contain_text(words)
    expect(page.locator("[data-id='COOLER_1'] title")).to_contain_text(words)
    assert page.locator("#map-canvas img").count() == 0 and page.evaluate("window.hit") is None


def test_clicks_on_the_map_open_what_is_there(page, user):
    row = create_project(user, plant(16), "Start")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(16)
    ready(page)
    page.click("[data-id='DRUM_1'] .plate")
    expect(page.locator("#rename")).to_have_value("DRUM_1")
    page.locator("[data-id='heat_out_1'] .halo").dispatch_event("click")
    expect(page.locator("#rename")).to_have_value("heat_out_1")
    page.locator("[data-id='+product']").dispatch_event("click")
    expect(page.locator("#append .kind").first).to_be_focused()
    page.locator(".loop-chip").first.click()
    page.wait_for_url("**/loops/**")


PLACES = """() => Object.fromEntries([...document.querySelectorAll('#map-canvas .unit-g')].map((g) => {
  const { e, f } = g.transform.baseVal.consolidate().matrix;
  return [g.dataset.id, [e, f]];
}))"""


def apart(places, first):
    """Where units stand as seen from one of them."""
    return {u: (round(x - places[first][0], 3), round(y - places[first][1], 3)) for u, (x, y) in places.items()}


ENDS = [(5, "heater"), (16, "flash-drum"), (16, "splitter"), (30, "three-phase-separator"), (60, "flash-drum"), (60, "splitter")]


@pytest.mark.parametrize(("count", "kind"), ENDS)
def test_a_unit_at_an_open_end_is_drawn_at_once_and_nothing_else_moves(page, user, count, kind):
    page.add_init_script(
        "document.addEventListener('DOMContentLoaded', () => { window.asked = 0; const ask = ELK.prototype.layout;"
        "ELK.prototype.layout = function (...a) { window.asked++; return ask.apply(this, a); }; });"
    )
    row = create_project(user, plant(count), "Start")
    page.goto(f"/p/{row.pk}/process/?select=product")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(count, timeout=60_000)
    ready(page)
    before, asked = page.evaluate(PLACES), page.evaluate("window.asked")
    first = min(before)
    press(page, f"#append-{kind}")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(count + 1)
    after = page.evaluate(PLACES)
    assert page.evaluate("window.asked") == asked, "its place was asked of nobody"
    was, now = apart(before, first), apart(after, first)
    moved = {(now[u][0] - x, now[u][1] - y) for u, (x, y) in was.items() if now[u] != (x, y)}
    assert len(moved) <= 1 and all(dx == 0 for dx, _ in moved)  # its row may give way downwards as a whole
    page.click("#zoom-fit")
    found = page.evaluate(MEASURE, True)
    assert found["pairs"] == [] and found["over"] == [] and found["crossed"] == []


def test_a_unit_without_room_at_its_end_is_laid_out_with_its_row(page, user):
    """Two ends of a splitter are nearer to each other than two plates are high: the second unit moves its row, and stands on nothing."""
    row = create_project(user, plant(9), "Start")
    page.goto(f"/p/{row.pk}/process/?select=product")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(9, timeout=60_000)
    ready(page)
    press(page, "#append-splitter")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(10)
    row.refresh_from_db()
    ends = [s.id for s in row.current.read.streams[-2:]]
    for n, end in enumerate(ends):
        page.goto(f"/p/{row.pk}/process/?select={end}")  # laid out as a whole
        expect(page.locator("#map-canvas .unit-g")).to_have_count(10 + n, timeout=60_000)
        ready(page)
        press(page, "#append-flash-drum")
        expect(page.locator("#map-canvas .unit-g")).to_have_count(11 + n)
        page.click("#zoom-fit")
        found = page.evaluate(MEASURE, True)
        assert found["over"] == [] and found["crossed"] == [] and found["pairs"] == []
