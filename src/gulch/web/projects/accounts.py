"""Accounts: changing one's password, and an administrator setting another's."""

from django.contrib import messages
from django.contrib.auth import get_user_model
from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_required
from django.contrib.auth.forms import SetPasswordForm
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse_lazy


class ChangePassword(auth.PasswordChangeView):
    """One's own password; programs that knew the old ways in are shut out with it."""

    template_name, success_url = "projects/password.html", reverse_lazy("projects")

    def form_valid(self, form):
        messages.info(self.request, f"Your password is changed.{tokens_ended(self.request.user)}")
        return super().form_valid(form)


change_password = ChangePassword.as_view()


def tokens_ended(account):
    """Revoke an account's tokens, and say so, as a sentence with a blank before it; '' where there were none."""
    ended = account.tokens.filter(revoked=False).update(revoked=True)
    return f" Its {ended} token{'s are' if ended > 1 else ' is'} revoked." if ended else ""


def administrator(view):
    """Only for administrators; others are not told that it exists."""

    @login_required
    def guarded(request, *args, **kwargs):
        if not request.user.is_superuser:
            raise Http404
        return view(request, *args, **kwargs)

    return guarded


@administrator
def accounts(request):
    rows = get_user_model().objects.order_by("username")
    return render(request, "projects/accounts.html", {"accounts": rows})


@administrator
def set_password(request, pk):
    """A new password for another account, whose open sessions end by that."""
    account = get_object_or_404(get_user_model(), pk=pk)
    form = SetPasswordForm(account, request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.info(request, f"{account.username} has a new password.{tokens_ended(account)}")
        return redirect("accounts")
    return render(request, "projects/password.html", {"form": form, "name": account.username})
