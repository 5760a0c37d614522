"""Tokens: making one, which is shown once, revoking it, and knowing it again."""

from __future__ import annotations

import secrets
from datetime import timedelta
from hashlib import sha256
from typing import TYPE_CHECKING

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from gulch.web.convenience import where_it_can
from gulch.web.projects.models import Token

if TYPE_CHECKING:
    from django.contrib.auth.models import User
    from django.http import HttpRequest, HttpResponse


MOST = 20  # of one user that are not revoked
TERMS = {"30": "30 days", "90": "90 days", "365": "a year", "": "until it is revoked"}  # days for which a token holds
USUAL = "90"
SELDOM = timedelta(minutes=5)  # between two notes of when a token was used


class Refused(Exception):
    """A token that is none, or no more; the message is a sentence."""


def made(user: User, name: str, days: int | None = None, reads_only: bool = False) -> str:
    """A new token of a user that holds so many days, as text that is kept nowhere."""
    text = "gulch_" + secrets.token_urlsafe(32)
    until = timezone.now() + timedelta(days=days) if days else None
    Token.objects.create(owner=user, name=name, digest=_digest(text), until=until, reads_only=reads_only)
    return text


def known(text: str) -> Token:
    """The Token that a text is, noted as used. Raises Refused."""
    token = Token.objects.select_related("owner").filter(digest=_digest(text)).first()
    if token is None or not token.owner.is_active:
        raise Refused("This token is not known: make one under “Tokens” and send it as “Authorization: Bearer …”.")
    if token.revoked:
        raise Refused(f"The token “{token.name}” is revoked: make a new one under “Tokens”.")
    if token.ended:
        raise Refused(f"The token “{token.name}” ended on {token.until:%Y-%m-%d}: make a new one under “Tokens”.")
    now = timezone.now()
    if token.used is None or now - token.used > SELDOM:
        with where_it_can():
            Token.objects.filter(pk=token.pk).update(used=now)
    return token


def _digest(text: str) -> str:
    return sha256(text.encode("utf-8", "replace")).hexdigest()  # of 256 random bits, which nobody can guess from it


@login_required
def tokens(request: HttpRequest) -> HttpResponse:
    """The user's tokens; a new one is shown on the page that answers, and never again."""
    fresh = ""
    if request.method == "POST":
        name, term = request.POST.get("name", "").strip()[:60], request.POST.get("term", USUAL)
        if not name:
            messages.error(request, "Say what the token is for: give it a name.")
        elif term not in TERMS:
            messages.error(request, "Say how long the token is to hold: choose one of the times offered.")
        elif sum(not t.ended for t in request.user.tokens.filter(revoked=False)) >= MOST:
            messages.error(request, f"There are {MOST} tokens already: revoke one first.")
        else:
            fresh = made(request.user, name, int(term) if term else None, request.POST.get("may") == "read")
    response = render(
        request, "api/tokens.html", {"tokens": request.user.tokens.all(), "fresh": fresh, "terms": TERMS.items(), "usual": USUAL}
    )
    if fresh:
        response["Cache-Control"] = "no-store"  # a secret is shown: no cache keeps it
    return response


@login_required
@require_POST
def revoke(request: HttpRequest, pk: int) -> HttpResponse:
    token = get_object_or_404(request.user.tokens, pk=pk)
    Token.objects.filter(pk=token.pk).update(revoked=True)
    messages.info(request, f"The token “{token.name}” is revoked.")
    return redirect("tokens")
