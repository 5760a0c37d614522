"""What is set up when Django has loaded."""

from __future__ import annotations

from django.apps import AppConfig
from django.contrib.auth.signals import user_logged_in


class Projects(AppConfig):
    """Projects and their owners."""

    name = "gulch.web.projects"

    def ready(self) -> None:
        """Signing in goes on where the database does not write."""
        from gulch.web.projects.accounts import note_sign_in

        user_logged_in.disconnect(dispatch_uid="update_last_login")
        user_logged_in.connect(note_sign_in, dispatch_uid="update_last_login")
