from django.apps import AppConfig
from django.db.models.signals import post_migrate


class ShellConfig(AppConfig):
    name = "web.shell"

    def ready(self) -> None:
        from web.shell.roles import after_migrations

        post_migrate.connect(after_migrations, dispatch_uid="rights of the application's role")
