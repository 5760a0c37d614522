"""What the browser finds and completes: sets in words, formulas, commands."""

from gulch.engine.document import value_of
from gulch.engine.units import KINDS
from gulch.web.projects.regions.region import Region
from gulch.web.projects.stages import stages
from gulch.web.projects.words import (
    sentence,
)


class Finder(Region):
    """What the browser finds and completes: sets in words, formulas, commands."""

    def reading(self, set_id):
        """A reaction set in words."""
        chosen = self.document.set(set_id)
        if chosen is None or not chosen.steps:
            return "No reaction runs."
        parts = []
        for i, step in enumerate(chosen.steps):
            names = " and ".join(step) if len(step) < 3 else ", ".join(step[:-1]) + " and " + step[-1]
            on = "on what enters" if i == 0 else "on what is left"
            who = f"reaction{'s' if len(step) > 1 else ''} {names}"
            parts.append(f"{who} {'act together' if len(step) > 1 else 'acts'} {on}")
        return sentence(", then ".join(parts))

    def unit_reading(self, unit):
        """How a reactor runs its set, in words; '' where it has none."""
        for d in KINDS[unit.kind].inputs():
            if d.form == "set" and value_of(unit, d) and not d.optional:
                return self.reading(value_of(unit, d)) if d.steps else "All reactions of the set act together, whatever their steps."
        return ""

    def formula_words(self):
        """[(address, words)] of what formulas can name."""
        rows = {a.address: a.label for a in self.inputs.values()} | {r.address: r.label for r in self.outputs.values() if not r.formula}
        return sorted(rows.items())

    def commands(self):
        """Entries of the command finder."""
        rows = [{"words": f"Go to {label}", "url": f"../{stage}/"} for stage, label in ((s.name, s.label) for s in stages().values())]
        rows += [{"words": f"Open unit {u.id} ({KINDS[u.kind].label})", "url": f"../process/?select={u.id}"} for u in self.document.units]
        rows += [{"words": f"Open stream {s.id}", "url": f"../process/?select={s.id}"} for s in self.document.streams]
        rows += [{"words": f"Open reaction {r.id}", "url": f"../chemistry/?select={r.id}"} for r in self.document.reactions]
        rows += [{"words": f"Open species {s.shown}", "url": f"../chemistry/?select=species:{s.id}"} for s in self.document.species]
        rows += [
            {"words": "Add a target or a tie", "url": "../loops/"},
            {"words": "Compare variants", "url": "../variants/"},
            {"words": "Hand in the notebook: a report as HTML or PDF", "url": "../notebook/"},
            {"words": "Undo", "click": "undo"},
            {"words": "Redo", "click": "redo"},
            {"words": "Add a feed", "click": "add-feed"},
            {"words": "Export the project as JSON", "url": "../export.json", "plain": True},
            {"words": "Export the ledger as CSV", "url": "../ledger.csv", "plain": True},
            {"words": "Help", "url": "../../../help/", "plain": True},
            {"words": "All projects", "url": "../../../", "plain": True},
        ]
        return rows
