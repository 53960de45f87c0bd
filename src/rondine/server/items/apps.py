"""The app of items: when all apps are loaded, so are the kinds of items that they have."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class ItemsConfig(AppConfig):
    name = "rondine.server.items"

    def ready(self) -> None:
        autodiscover_modules("kinds")
