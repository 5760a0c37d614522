"""Accounts: changing one's password, and an administrator setting another's."""

from django.contrib import messages
from django.contrib.auth import get_user_model
from django.contrib.auth import views as auth
from django.contrib.auth.decorators import login_required
from django.contrib.auth.forms import SetPasswordForm
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse_lazy

change_password = auth.PasswordChangeView.as_view(template_name="projects/password.html", success_url=reverse_lazy("projects"))


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
        messages.info(request, f"{account.username} has a new password.")
        return redirect("accounts")
    return render(request, "projects/password.html", {"form": form, "name": account.username})
