"""Regions of the workspace: what each shows, as text and numbers."""
