"""Accounts: guesses of passwords, changing one's own; what administrators do to others: a new password, closing and opening."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from axes.attempts import get_cool_off_threshold
from axes.handlers.database import AxesDatabaseHandler
from axes.helpers import get_client_ip_address
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model
from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_required
from django.contrib.auth.forms import SetPasswordForm
from django.contrib.auth.models import update_last_login
from django.core.cache import cache
from django.db import DatabaseError
from django.db.models import Sum
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse_lazy
from django.views.decorators.http import require_POST

from gulch.web.convenience import where_it_can

if TYPE_CHECKING:
    from collections.abc import Callable

    from django.contrib.auth.forms import PasswordChangeForm
    from django.contrib.auth.models import User
    from django.http import HttpRequest, HttpResponse


class Guesses(AxesDatabaseHandler):
    """Counts wrong passwords of a name from one address, and those of all names from it: one password may be tried over many.

    While the database does not write, those from one address are counted in memory.
    """

    def user_logged_in(self, sender: type, request: HttpRequest, user: User, **kwargs: Any) -> None:
        with where_it_can():
            super().user_logged_in(sender, request, user, **kwargs)

    def user_logged_out(self, sender: type, request: HttpRequest, user: User, **kwargs: Any) -> None:
        with where_it_can():
            super().user_logged_out(sender, request, user, **kwargs)

    def user_login_failed(self, sender: str, credentials: dict[str, str], request: HttpRequest | None = None, **kwargs: Any) -> None:
        try:
            super().user_login_failed(sender, credentials, request, **kwargs)
        except DatabaseError:
            key = _unwritten(request)
            cache.add(key, 0, settings.AXES_COOLOFF_TIME.total_seconds())
            cache.incr(key)

    def is_locked(self, request: HttpRequest, credentials: dict | None = None) -> bool:
        if super().is_locked(request, credentials) or cache.get(_unwritten(request), 0) >= settings.AXES_FAILURE_LIMIT:
            return True
        since = get_cool_off_threshold(request)
        of_address = AccessAttempt.objects.filter(ip_address=get_client_ip_address(request), attempt_time__gte=since)
        return (of_address.aggregate(n=Sum("failures_since_start"))["n"] or 0) >= settings.GULCH_MOST_GUESSES


def _unwritten(request: HttpRequest) -> str:
    return f"guesses-{get_client_ip_address(request)}"


def note_sign_in(sender: type, user: User, **kwargs: Any) -> None:
    """When somebody signed in last, in place of Django's own note: the database may refuse it."""
    with where_it_can():
        update_last_login(sender, user)


class AccountError(ValueError):
    """Something cannot be done to an account; the message is a sentence."""


class ChangePassword(auth.PasswordChangeView):
    """One's own password; programs that knew the old ways in are shut out with it."""

    template_name, success_url = "projects/password.html", reverse_lazy("projects")

    def form_valid(self, form: PasswordChangeForm) -> HttpResponse:
        messages.info(self.request, f"Your password is changed.{tokens_ended(self.request.user)}")
        return super().form_valid(form)


change_password = ChangePassword.as_view()


def tokens_ended(account: User) -> str:
    """Revoke an account's tokens, and say so, as a sentence with a blank before it; '' where there were none."""
    ended = account.tokens.filter(revoked=False).update(revoked=True)
    return f" Its {ended} token{'s are' if ended > 1 else ' is'} revoked." if ended else ""


def set_open(account: User, is_open: bool) -> str:
    """Open an account, or close it: nobody signs in with it, its sessions and tokens end, its projects stay. Returns what was done.

    Raises AccountError for the last administrator.
    """
    others = get_user_model().objects.filter(is_superuser=True, is_active=True).exclude(pk=account.pk)
    if account.is_superuser and not is_open and not others.exists():
        raise AccountError(f"{account.username} is the only administrator: make another one first, with gulch user NAME --admin.")
    account.is_active = is_open
    account.save(update_fields=["is_active"])
    if is_open:
        return f"{account.username} can sign in again."
    return f"{account.username} is closed: nobody signs in with it. Its projects stay.{tokens_ended(account)}"


def administrator(view: Callable) -> Callable:
    """Only for administrators; others are not told that it exists."""

    @login_required
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_superuser:
            raise Http404
        return view(request, *args, **kwargs)

    return guarded


@administrator
def accounts(request: HttpRequest) -> HttpResponse:
    rows = get_user_model().objects.order_by("username")
    return render(request, "projects/accounts.html", {"accounts": rows})


@administrator
def set_password(request: HttpRequest, pk: int) -> HttpResponse:
    """A new password for another account, whose open sessions end by that."""
    account = get_object_or_404(get_user_model(), pk=pk)
    form = SetPasswordForm(account, request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.info(request, f"{account.username} has a new password.{tokens_ended(account)}")
        return redirect("accounts")
    return render(request, "projects/password.html", {"form": form, "name": account.username})


@administrator
@require_POST
def close_account(request: HttpRequest, pk: int) -> HttpResponse:
    """Close another account, or open it again."""
    account = get_object_or_404(get_user_model(), pk=pk)
    if account == request.user:
        messages.error(request, "Your own account is closed by another administrator, or on the server with gulch user NAME --close.")
    else:
        try:
            messages.info(request, set_open(account, not account.is_active))
        except AccountError as error:
            messages.error(request, str(error))
    return redirect("accounts")
