"""Addresses: the API under /api/; everything else is the built web app (whitenoise)."""

from django.urls import path

from server.api import api

urlpatterns = [path("api/", api.urls)]
