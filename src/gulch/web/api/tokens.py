"""Tokens: making one, which is shown once, revoking it, and knowing it again."""

import secrets
from datetime import timedelta
from hashlib import sha256

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from gulch.web.projects.models import Token

MOST = 20  # of one user that are not revoked
SELDOM = timedelta(minutes=5)  # between two notes of when a token was used


class Refused(Exception):
    """A token that is none, or no more; the message is a sentence."""


def made(user, name):
    """A new token of a user, as text that is kept nowhere."""
    text = "gulch_" + secrets.token_urlsafe(32)
    Token.objects.create(owner=user, name=name, digest=_digest(text))
    return text


def owner_of(text):
    """The user whose token a text is. Raises Refused."""
    token = Token.objects.select_related("owner").filter(digest=_digest(text)).first()
    if token is None or not token.owner.is_active:
        raise Refused("This token is not known: make one under “Tokens” and send it as “Authorization: Bearer …”.")
    if token.revoked:
        raise Refused(f"The token “{token.name}” is revoked: make a new one under “Tokens”.")
    now = timezone.now()
    if token.used is None or now - token.used > SELDOM:
        Token.objects.filter(pk=token.pk).update(used=now)
    return token.owner


def _digest(text):
    return sha256(text.encode("utf-8", "replace")).hexdigest()  # of 256 random bits, which nobody can guess from it


@login_required
def tokens(request):
    """The user's tokens; a new one is shown on the page that answers, and never again."""
    fresh = ""
    if request.method == "POST":
        name = request.POST.get("name", "").strip()[:60]
        if not name:
            messages.error(request, "Say what the token is for: give it a name.")
        elif request.user.tokens.filter(revoked=False).count() >= MOST:
            messages.error(request, f"There are {MOST} tokens already: revoke one first.")
        else:
            fresh = made(request.user, name)
    response = render(request, "api/tokens.html", {"tokens": request.user.tokens.all(), "fresh": fresh})
    if fresh:
        response["Cache-Control"] = "no-store"  # a secret is shown: no cache keeps it
    return response


@login_required
@require_POST
def revoke(request, pk):
    token = get_object_or_404(request.user.tokens, pk=pk)
    Token.objects.filter(pk=token.pk).update(revoked=True)
    messages.info(request, f"The token “{token.name}” is revoked.")
    return redirect("tokens")
