"""Roles, teams and grants by `./pine rights`."""

from __future__ import annotations

from core.access.rights import Owner, Right
from tests.base import InWorld, person, run
from web.definitions.snapshot import current
from web.people.models import Person


class FromTheCommandLine(InWorld):
    def rights(self, *words: str, status: int = 0) -> str:
        code, out, told = run(*words, command="rights")
        self.assertEqual(code, status, told)
        return out or told

    def test_roles_teams_and_grants(self) -> None:
        tamsin = person("tamsin", "company")
        self.rights("role", "Closer", "--rights", "see, close")
        self.rights("team", "Closers", "--people", "tamsin")
        number = self.rights("grant", "Closer", "--team", "Closers", "--companies", "chart=c").strip()
        self.assertEqual(
            self.rights("list"),
            "role\tCloser\tclose, see\nteam\tClosers\ttamsin\n"
            f"grant {number}\tteam Closers\tCloser (close, see) over companies chart=c\n",
        )
        state = current().state
        self.assertTrue(tamsin.access(state).may(Right.CLOSE, Owner("company", "alpha")))
        self.rights("take-back", number)
        again = Person.objects.get(username="tamsin")
        self.assertFalse(again.access(state).may(Right.CLOSE, Owner("company", "alpha")))

    def test_what_is_refused(self) -> None:
        person("tamsin", "company")
        self.rights("role", "Closer", "--rights", "close")
        cases = [
            (2, ("grant", "Nobody", "--person", "tamsin"), "There is no role Nobody.\n"),
            (2, ("grant", "Closer", "--person", "nobody"), "There is no person nobody.\n"),
            (2, ("grant", "Closer", "--team", "none"), "There is no team none.\n"),
            (2, ("take-back", "99"), "There is no grant 99.\n"),
            (1, ("grant", "Closer", "--person", "tamsin"), "Over what is not said. Say all, or ids.\n"),
            (1, ("team", "T", "--people", "nobody"), "Nobody signs in as nobody. Correct the name.\n"),
            (1, ("role", "Closer", "--rights", ""), "A role needs a right. Choose one.\n"),
        ]
        for status, words, what in cases:
            with self.subTest(words):
                self.assertEqual(self.rights(*words, status=status), what)
