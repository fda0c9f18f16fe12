"""Facts that remember what was asked of them: an act is judged outside of every lock, and when it writes it
sees that the answers it was judged by still hold."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import fields, replace
from typing import Any

from core.changes.fixed import Facts


class AskedFacts:
    """`facts` are those given, and `answers` what they said so far, by fact and arguments.

    >>> asked = AskedFacts(Facts(lambda _: frozenset({"1010"}), frozenset, frozenset, lambda _: frozenset()))
    >>> sorted(asked.facts.codes("acc"))
    ['1010']
    >>> asked.answers
    {('codes', ('acc',)): frozenset({'1010'})}
    """

    def __init__(self, facts: Facts, before_first: Callable[[], None] = lambda: None) -> None:
        """`before_first` is called before the first question is asked."""
        self._before_first = before_first
        self.answers: dict[tuple[str, tuple[Any, ...]], Any] = {}
        callables = {field.name: getattr(facts, field.name) for field in fields(facts)}
        remembered: dict[str, Any] = {
            name: self._remembering(name, fact) for name, fact in callables.items() if callable(fact)
        }
        self.facts = replace(facts, **remembered)

    def _remembering(self, name: str, fact: Callable[..., Any]) -> Callable[..., Any]:
        def remembered(*args: Any) -> Any:
            if not self.answers:
                self._before_first()
            if (name, args) not in self.answers:
                self.answers[name, args] = fact(*args)
            return self.answers[name, args]

        return remembered

    def hold(self, now: Facts, names: Collection[str] | None = None) -> bool:
        """Whether the facts of now answer the same to all that was asked (None: of every fact)."""
        return all(
            getattr(now, name)(*args) == answer
            for (name, args), answer in self.answers.items()
            if names is None or name in names
        )
