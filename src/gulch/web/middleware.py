"""Security headers, signing in on the loopback demo, and sentences for whatever goes wrong."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING, Any

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.core.exceptions import PermissionDenied, SuspiciousOperation
from django.db import DatabaseError
from django.http import Http404, HttpResponse
from django.shortcuts import render, resolve_url

from gulch.engine.document import DocumentError
from gulch.engine.work.job import new_reference
from gulch.web.operating import counts
from gulch.web.projects.actions import stored

if TYPE_CHECKING:
    from collections.abc import Callable

    from django.http import HttpRequest


log = logging.getLogger("gulch.web")
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; worker-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)


class ContentSecurityPolicy:
    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response


class DemoSignIn:
    """Signs requests from this computer in as the demo user, while the demo is served."""

    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if settings.GULCH_DEMO and not request.user.is_authenticated and request.META.get("REMOTE_ADDR") in ("127.0.0.1", "::1"):
            user, made = get_user_model().objects.get_or_create(username="demo")
            if made:
                user.set_unusable_password()
                user.save()
            login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return self.get_response(request)


class Sentences:
    """A net under all views: whatever goes wrong becomes a sentence, and the project stays as it is."""

    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        stored.set(None)
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Any) -> HttpResponse | None:
        if isinstance(exception, Http404 | PermissionDenied | SuspiciousOperation):
            return None  # Django's own answers
        match = request.resolver_match
        context = {"pk": match.kwargs.get("pk") if match else None}
        kept = stored.get()
        changed = "Nothing was changed." if kept is None else f"Your edit is kept, as revision {kept}; what failed came after it."
        if isinstance(exception, DocumentError):
            context |= {"title": "This project cannot be read", "why": str(exception)}
        elif isinstance(exception, DatabaseError):
            log.exception("the database refused")
            title = "Nothing was changed" if kept is None else f"Your edit is kept, as revision {kept}; then the database refused"
            context |= {"title": title, "why": database_words(exception)}
        else:
            reference = new_reference()
            counts.FAULTS.inc()
            log.error("fault %s at %s", reference, request.path, exc_info=exception)
            context |= {
                "title": "Gulch met a fault of its own",
                "why": f"{changed} Its reference is {reference}: whoever runs this server finds it in the log.",
            }
        if request.headers.get("HX-Request"):
            response = HttpResponse(f"{context['title']}. {context['why']}", "text/plain; charset=utf-8", status=500)
            response["X-Gulch-Says"] = "1"
            return response
        return render(request, "projects/unreadable.html", context, status=500)


def database_words(error: DatabaseError) -> str:
    """What the user can do about a database that refuses."""
    text = str(error).lower()
    if "full" in text:
        return "The disk is full: make room, then do it again."
    if "readonly" in text or "read-only" in text:
        return "The database may only be read: whoever runs this server must let it write again, then do it again."
    if "locked" in text:
        return "The database is busy: do it again in a moment."
    if "malformed" in text or "not a database" in text:
        return "The database file is damaged: put back a copy of it."
    return "The database could not do this: whoever runs this server finds the reason in the log."


class SignedOut:
    """A request from inside a page whose session has ended is told so, not sent the sign-in page to show in its place."""

    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if (
            request.headers.get("HX-Request")
            and response.status_code == 302
            and not request.user.is_authenticated
            and response.headers.get("Location", "").startswith(resolve_url(settings.LOGIN_URL))
        ):
            return HttpResponse("You are signed out.", "text/plain; charset=utf-8", status=401)
        return response
