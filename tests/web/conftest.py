"""A signed-in client with the demo project."""

import pytest
from django.contrib.auth import get_user_model
from helpers import demo

from gulch.demo import figures
from gulch.engine.work import Inline
from gulch.web.projects import solving
from gulch.web.projects.actions import create_project


@pytest.fixture(autouse=True)
def inline_jobs(settings):
    settings.GULCH_WORK_INLINE = True
    if not isinstance(solving.workers(), Inline):
        solving.close()
    settings.ALLOWED_HOSTS = ["testserver"]
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # quick, tests only


@pytest.fixture
def user(db):
    return get_user_model().objects.create_user("ada", password="a long enough one")


@pytest.fixture
def row(user):
    return create_project(user, demo(), "Demo project", figures(demo()))


@pytest.fixture
def client(client, user):
    client.force_login(user)
    return client


@pytest.fixture
def act(client, row):
    """Post an edit; returns the response. The newest version is sent unless one is given."""

    def post(name, /, status=200, **form):
        row.refresh_from_db()
        form.setdefault("version", row.version)
        response = client.post(f"/p/{row.pk}/do/{name}/", form, headers={"HX-Request": "true"})
        assert response.status_code == status, response.content.decode()[:2000]
        row.refresh_from_db()
        return response.content.decode()

    return post
