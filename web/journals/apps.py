from django.apps import AppConfig


class JournalsConfig(AppConfig):
    name = "web.journals"

    def ready(self) -> None:
        from web.definitions import posted
        from web.journals.posted import PostedBooks

        posted.answer_with(PostedBooks())
