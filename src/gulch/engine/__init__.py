"""The computation. Imports nothing of Django or of gulch.web."""
