"""What the parts of the chemistry page have in common."""


class Part:
    """A part of the page. What the ChemistryPage knows it knows too; what other parts do it asks for by their name."""

    def __init__(self, page):
        self.page = page

    def __getattr__(self, name):
        return getattr(self.page, name)
