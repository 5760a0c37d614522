"""The stages of a project, in the order of the work."""

STAGES = (
    ("chemistry", "Chemistry"),
    ("process", "Process"),
    ("loops", "Loops"),
    ("scans", "Scans"),
    ("variants", "Variants"),
    ("sizing", "Sizing"),
)
