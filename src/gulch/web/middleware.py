"""Security headers, and signing in on the loopback demo."""

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.shortcuts import render

from gulch.engine.document import DocumentError

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; worker-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)


class ContentSecurityPolicy:
    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response


class DemoSignIn:
    """Signs requests from this computer in as the demo user, while the demo is served."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        if (
            settings.GULCH_DEMO
            and not request.user.is_authenticated
            and request.META.get("REMOTE_ADDR") in ("127.0.0.1", "::1")
        ):
            user, made = get_user_model().objects.get_or_create(username="demo")
            if made:
                user.set_unusable_password()
                user.save()
            login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return self.get_response(request)


class UnreadableProject:
    """A stored project that this version cannot read gets a sentence, and stays stored as it is."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        if isinstance(exception, DocumentError):
            return render(request, "projects/unreadable.html", {"why": str(exception)}, status=500)
        return None
