from django.apps import AppConfig


class GroupConfig(AppConfig):
    name = "web.group"

    def ready(self) -> None:
        from web.definitions import posted
        from web.group.kept import KeptRows

        posted.kept_with(KeptRows())
