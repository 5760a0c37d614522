"""What all regions have in common."""


class Region:
    """A region of the page. What the Workspace knows it knows too; what other regions do it asks for by their name."""

    def __init__(self, space):
        self.space = space

    def __getattr__(self, name):
        return getattr(self.space, name)
