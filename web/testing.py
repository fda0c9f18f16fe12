"""Django's runner with a closing line that counts."""

from __future__ import annotations

from typing import Any

from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Django's test runner, with a closing line that counts what passed and failed."""

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        bad = len(result.failures) + len(result.errors)
        print(f"{result.testsRun - bad - len(result.skipped)} passed, {bad} failed")  # noqa: T201
        return super().suite_result(suite, result, **kwargs)
