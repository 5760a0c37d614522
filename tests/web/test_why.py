"""Where a number comes from, on the page: from a result, a gauge and the finder."""

from urllib.parse import quote


def why(client, row, address):
    return client.get(f"/p/{row.pk}/process/", {"select": f"why:{address}"}).content.decode()


def test_a_results_panel_tells_formula_inputs_and_data(client, row):
    page = why(client, row, "product.mass_fraction.ethanol")
    assert 'id="why"' in page and "w = m/Σ m" in page and "61.59 %" in page
    assert f"select=why:{quote('S4.mass_fraction.ethanol')}" in page  # the way back
    assert "Active Thermochemical Tables" in page and "assumed" in page
    assert "?select=species%3Aethanol" in page


def test_gauges_and_results_lead_there(client, row):
    gauge = client.get(f"/p/{row.pk}/process/", {"select": "gauge:purity"}).content.decode()
    assert 'id="why-gauge"' in gauge and "select=why:product.mass_fraction.ethanol" in gauge
    assert "select=why:R1.duty" in client.get(f"/p/{row.pk}/process/", {"select": "R1"}).content.decode()


def test_the_finder_asks_why(client, row):
    rows = client.get(f"/p/{row.pk}/find/", {"q": "why selectivity to ethanol"}).json()["rows"]
    assert rows[0]["url"] == "../process/?select=why:R1.selectivity"


def test_what_is_none_shows_the_process_instead(client, row):
    for address in ("", "none", "R1.none", "S4.fraction.gold", "'><script>"):
        page = why(client, row, address)
        assert 'id="why"' not in page and "<script>'" not in page and 'id="workspace"' in page
