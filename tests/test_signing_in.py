"""Signing in: a second factor beside the password, single sign-on by OpenID Connect against the stand-in."""

from __future__ import annotations

import html
import re
import threading
import time
from typing import Any, NamedTuple
from unittest.mock import patch
from urllib.parse import urlencode, urlsplit

import pyotp
import requests
from axes.helpers import get_client_ip_address
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.hashers import check_password, make_password
from django.test import Client, RequestFactory, override_settings

from demo.sign_in_service import CLIENT, SECRET, Service
from tests.base import PineTest, bring, client_of, person, run, world
from web.people import second_factor, single_sign_on
from web.people.models import Person, PersonEvent

PASSWORD = "long-enough-1"


class Codes(NamedTuple):
    """How many recovery codes a page told, and how many different ones."""

    told: int
    different: int


class Hashing(PineTest):
    def test_the_application_keeps_passwords_by_the_slow_way(self) -> None:
        """Tests keep them by one that costs nothing (tests/settings.py); the application's own is first."""
        from web import settings as own

        self.assertEqual(own.PASSWORD_HASHERS[0], "django.contrib.auth.hashers.Argon2PasswordHasher")
        with override_settings(PASSWORD_HASHERS=own.PASSWORD_HASHERS):
            kept = make_password(PASSWORD)
        self.assertRegex(kept, r"^argon2\$argon2id\$v=19\$m=(\d{5,}),t=\d+,p=\d+\$")
        self.assertTrue(check_password(PASSWORD, kept))


class SecondFactor(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.mirela = person("mirela")
        self.now = time.time()

    def at(self, seconds: float) -> Any:
        """As if it were so much later."""
        return patch("web.people.second_factor.time.time", return_value=self.now + seconds)

    def with_factor(self) -> str:
        secret = second_factor.new_secret()
        with self.at(-600):
            second_factor.switch_on(self.mirela, secret, pyotp.TOTP(secret).at(self.now - 600))
        return secret

    def code(self, secret: str, seconds: float = 0) -> str:
        return pyotp.TOTP(secret).at(self.now + seconds)

    def begin(self, to: str = "/log/") -> Client:
        client = Client()
        given = {"username": "mirela", "password": PASSWORD, "next": to}
        self.assertRedirects(client.post("/sign-in/", given), "/sign-in/code/", fetch_redirect_response=False)
        self.assertEqual(client.get("/log/").status_code, 302, "the password alone signs nobody in")
        return client

    def send(self, client: Client, code: str) -> int:
        return client.post("/sign-in/code/", {"code": code}).status_code

    def test_from_the_page_to_the_next_sign_in(self) -> None:
        client = client_of(self.mirela)
        page = html.unescape(client.get("/me/factor/").content.decode())
        secret = re.findall(r'class="code spaced">(\w+)<', page)[0]
        self.assertIn("<svg", page)
        self.assertEqual(client.post("/me/factor/", {"act": "on", "code": "000000"}).status_code, 422)
        self.assertEqual(
            self.recovery_codes(client, {"act": "on", "code": self.code(secret)}),
            Codes(10, 10),
            "told once, each another one",
        )
        self.assertIn("10 recovery codes are left", client.get("/me/factor/").content.decode())
        kept = Person.objects.get(pk=self.mirela.pk).factor
        self.assertTrue(kept and secret not in kept)
        with self.at(60):
            signing = self.begin("/log/?at=1")
            reply = signing.post("/sign-in/code/", {"code": self.code(secret, 60)})
            self.assertRedirects(reply, "/log/?at=1", fetch_redirect_response=False)
            self.assertEqual(signing.get("/log/").status_code, 200)
        with self.at(120):
            for given, status in (
                ({"act": "off", "now": "wrong", "code": self.code(secret, 120)}, 422),
                ({"act": "off", "now": PASSWORD, "code": "123456"}, 422),
                ({"act": "off", "now": PASSWORD, "code": self.code(secret, 120)}, 302),
            ):
                self.assertEqual(client.post("/me/factor/", given).status_code, status, given)
        given = {"username": "mirela", "password": PASSWORD}
        self.assertRedirects(Client().post("/sign-in/", given), "/", fetch_redirect_response=False)
        told = list(PersonEvent.objects.order_by("pk").values_list("sentence", flat=True))
        self.assertEqual(
            told, ["Mirela switched a second factor on", "Switched the second factor of Mirela off"]
        )

    def test_a_code_holds_for_its_time_and_once(self) -> None:
        secret = self.with_factor()
        cases = [(-90, False), (-30, True), (0, True), (30, True), (90, False)]
        for seconds, taken in cases:
            Person.objects.update(factor_step=0)
            mirela = Person.objects.get(pk=self.mirela.pk)
            with self.at(0):
                code = self.code(secret, seconds)
                self.assertEqual(second_factor.fits(mirela, code), taken, seconds)
                self.assertFalse(second_factor.fits(mirela, code), "it was used")
        for odd in ("", "abc", "１２３４５６", "9" * 40, "\x00"):
            self.assertFalse(second_factor.fits(mirela, odd), odd)

    def test_wrong_codes_count_as_wrong_passwords_and_time_runs_out(self) -> None:
        secret = self.with_factor()
        with override_settings(AXES_ENABLED=True, AXES_FAILURE_LIMIT=3):
            client = self.begin()
            self.assertEqual([self.send(client, "000000") for _ in range(3)], [422, 422, 429])
            self.assertEqual(self.send(client, self.code(secret)), 422, "the right one comes too late")
        client = self.begin()
        session = client.session
        session["factor_since"] = int(time.time()) - 301
        session.save()
        reply = client.post("/sign-in/code/", {"code": self.code(secret)})
        self.assertRedirects(reply, "/sign-in/", fetch_redirect_response=False)
        self.assertRedirects(Client().get("/sign-in/code/"), "/sign-in/", fetch_redirect_response=False)

    def test_without_the_device_somebody_else_switches_it_off(self) -> None:
        self.with_factor()
        other = client_of(person("other"))
        self.assertIn("Second factor off", other.get("/people/?who=mirela").content.decode())
        other.post("/people/change/", {"who": "mirela", "act": "factor-off"})
        self.assertEqual(Person.objects.get(pk=self.mirela.pk).factor, "")
        self.with_factor()
        self.assertEqual(run("factor-off", "mirela", command="person")[0], 0)
        self.assertEqual(Person.objects.get(pk=self.mirela.pk).factor, "")
        secret = self.with_factor()
        with override_settings(SECRET_KEY="another"):
            mirela = Person.objects.get(pk=self.mirela.pk)
            self.assertFalse(second_factor.fits(mirela, self.code(secret)), "kept under another secret")

    def recovery_codes(self, client: Client, given: dict[str, str]) -> Codes:
        reply = client.post("/me/factor/", given)
        self.assertEqual(reply.status_code, 200)
        self.told = re.findall(
            r'<li class="code">([A-Z2-7]{4}(?:-[A-Z2-7]{4}){3})</li>', reply.content.decode()
        )
        return Codes(len(self.told), len(set(self.told)))

    def test_a_recovery_code_signs_in_once_on_any_machine(self) -> None:
        secret = self.with_factor()
        client = client_of(self.mirela)
        with self.at(30):
            again = {"act": "recovery", "now": PASSWORD, "code": self.code(secret, 30)}
            self.assertEqual(self.recovery_codes(client, again), Codes(10, 10))
        first, second, third = self.told[:3]
        self.assertNotIn(first, str(Person.objects.values()), "what is kept signs nobody in")
        signing = self.begin()
        self.assertEqual(self.send(signing, first.lower().replace("-", " ")), 302)
        self.assertEqual(signing.get("/log/").status_code, 200)
        self.assertEqual(self.send(self.begin(), first), 422, "it was used")
        with override_settings(SECRET_KEY="of another machine"):
            elsewhere = self.begin()
            page = html.unescape(elsewhere.get("/sign-in/code/").content.decode())
            self.assertIn("This machine can't judge the codes of", page)
            self.assertEqual(self.send(elsewhere, self.code(secret, 60)), 422)
            self.assertEqual(self.send(elsewhere, second), 302)
        self.assertEqual(self.send(self.begin(), ""), 422)
        self.recovery_codes(client, {"act": "recovery", "now": PASSWORD, "code": third})
        self.assertEqual(self.send(self.begin(), self.told[5]), 302)
        self.assertEqual(self.send(self.begin(), second), 422, "of before")
        told = list(PersonEvent.objects.order_by("pk").values_list("sentence", flat=True))
        self.assertEqual(
            told,
            [
                "Mirela switched a second factor on",
                "Mirela wrote out recovery codes",
                "Mirela used a recovery code; 9 of 10 are left",
                "Mirela used a recovery code; 8 of 10 are left",
                "Mirela used a recovery code; 7 of 10 are left",
                "Mirela wrote out recovery codes",
                "Mirela used a recovery code; 9 of 10 are left",
            ],
        )
        with self.at(120):
            client.post("/me/factor/", {"act": "off", "now": PASSWORD, "code": self.code(secret, 120)})
        self.assertEqual(Person.objects.get(pk=self.mirela.pk).factor_recovery, [])

    def test_the_secret_of_the_application_changes_and_keeps_nobody_out(self) -> None:
        secret = self.with_factor()
        told = (
            "The second factor of mirela was sealed under another secret, so no code of a device fits. Give"
            " that secret in PINE_SECRET_EARLIER and run ./pine person seal-factors; or they sign in with a"
            " recovery code; or ./pine person factor-off NAME.\n"
        )
        signed_in = client_of(self.mirela)
        before = settings.SECRET_KEY

        def fits(seconds: float) -> bool:
            with self.at(seconds):
                return second_factor.fits(Person.objects.get(pk=self.mirela.pk), self.code(secret, seconds))

        with override_settings(SECRET_KEY="of now"):
            self.assertFalse(fits(30))
            self.assertEqual(
                run("seal-factors", command="person"), (1, "", f"0 second factors sealed anew.\n{told}")
            )
        with override_settings(SECRET_KEY="of now", SECRET_KEY_FALLBACKS=[before]):
            self.assertTrue(fits(60), "both are known while it changes")
            self.assertEqual(signed_in.get("/log/").status_code, 200)
            self.assertEqual(run("seal-factors", command="person"), (0, "", "1 second factor sealed anew.\n"))
        with override_settings(SECRET_KEY="of now"):
            self.assertTrue(fits(120), "the one of before is forgotten")
        self.assertFalse(fits(180))

    def test_wrong_passwords_count_on_ones_own_pages_too(self) -> None:
        secret = self.with_factor()
        for address, given in (
            ("/me/", {"password": "long-enough-2", "again": "long-enough-2"}),
            ("/me/factor/", {"act": "off", "code": "000000"}),
            ("/me/factor/", {"act": "recovery", "code": "000000"}),
        ):
            with (
                self.subTest(given),
                override_settings(AXES_ENABLED=True, AXES_FAILURE_LIMIT=3),
                self.at(30),
            ):
                client = client_of(self.mirela)
                tries = [client.post(address, {**given, "now": "wrong"}).status_code for _ in range(4)]
                self.assertEqual(tries, [422, 422, 429, 429])
                right = {**given, "now": PASSWORD, "code": self.code(secret, 30)}
                reply = client.post(address, right)
                self.assertEqual(reply.status_code, 429, "the right one comes too late")
                self.assertIn("Too many tries did not succeed from here.", reply.content.decode())
                AccessAttempt.objects.all().delete()


class BehindAProxy(PineTest):
    """Who tries in vain is told apart by the address that our proxy wrote, which nobody can write for it."""

    def test_the_address_is_the_last_of_the_header_and_only_behind_the_proxy(self) -> None:
        cases = (
            ("198.51.100.1", True, "198.51.100.1"),
            ("203.0.113.9, 198.51.100.2", True, "198.51.100.2"),
            ("", True, "127.0.0.1"),
            ("198.51.100.1", False, "127.0.0.1"),
        )
        for header, behind, expected in cases:
            with self.subTest(header=header, behind=behind), override_settings(BEHIND_TLS=behind):
                request = RequestFactory().get("/", headers={"X-Forwarded-For": header} if header else {})
                self.assertEqual(get_client_ip_address(request), expected)

    @override_settings(AXES_ENABLED=True, BEHIND_TLS=True)
    def test_wrong_tries_from_one_address_keep_nobody_else_out(self) -> None:
        person("mirela")

        def status(address: str, password: str) -> int:
            given = {"username": "mirela", "password": password}
            return Client().post("/sign-in/", given, headers={"X-Forwarded-For": address}).status_code

        tries = [status("198.51.100.1", f"wrong {number}") for number in range(10)]
        self.assertEqual(tries[-1], 429)
        self.assertNotEqual(status("198.51.100.2", "wrong"), 429)


class SignOn(PineTest):
    def setUp(self) -> None:
        super().setUp()
        bring(world())
        self.service = Service()
        self.addCleanup(self.service.server_close)
        self.addCleanup(self.service.shutdown)
        threading.Thread(target=self.service.serve_forever, daemon=True).start()
        single = {
            "discovery": f"{self.service.issuer}/.well-known/openid-configuration",
            "client": CLIENT,
            "secret": SECRET,
            "claim": "preferred_username",
            "name": "Fernhollow",
        }
        settings_now = override_settings(SINGLE_SIGN_ON=single, ALLOWED_HOSTS=["*"])
        settings_now.enable()
        self.addCleanup(settings_now.disable)

    def back_from_there(self, client: Client, who: str, fault: str = "", to: str = "") -> Any:
        """Off to the service and back, as somebody."""
        begun = client.get("/sign-in/single/" + (f"?{urlencode({'next': to})}" if to else ""))
        self.assertEqual(begun.status_code, 302)
        address = f"{begun['Location']}&{urlencode({'as': who, 'fault': fault})}"
        there = requests.get(address, allow_redirects=False, timeout=10)
        location = urlsplit(there.headers["Location"])
        self.assertEqual(location.path, "/sign-in/back/")
        return client.get(f"{location.path}?{location.query}")

    def test_who_is_here_comes_in_and_nobody_is_made(self) -> None:
        mirela = person("Mirela")
        self.assertIn("Sign in with", Client().get("/sign-in/").content.decode())
        client = Client()
        self.assertRedirects(
            self.back_from_there(client, "mirela", to="/log/"), "/log/", fetch_redirect_response=False
        )
        self.assertEqual(client.get("/log/").status_code, 200)
        for to in ("//evil.example/", "https://evil.example/"):
            self.assertRedirects(
                self.back_from_there(Client(), "mirela", to=to), "/", fetch_redirect_response=False
            )
        reply = self.back_from_there(Client(), "ghost")
        self.assertEqual(reply.status_code, 403)
        self.assertIn("ghost is not one of the people here.", reply.content.decode())
        Person.objects.filter(pk=mirela.pk).update(is_active=False)
        self.assertRedirects(client.get("/log/"), "/sign-in/?next=/log/", fetch_redirect_response=False)
        self.assertEqual(self.back_from_there(Client(), "mirela").status_code, 403)
        self.assertEqual(Person.objects.count(), 1)

    def test_an_answer_that_can_not_be_trusted_lets_nobody_in(self) -> None:
        person("mirela")
        faults = (
            "audience",
            "issuer",
            "nonce",
            "key",
            "unsigned",
            "expired",
            "other-person",
            "status",
            "list",
        )
        for fault in faults:
            with self.subTest(fault):
                client = Client()
                reply = self.back_from_there(client, "mirela", fault)
                self.assertEqual(reply.status_code, 403)
                self.assertEqual(client.get("/log/").status_code, 302)
        for query in ("", "?code=a&state=b", "?error=denied", "?error=x&state=y"):
            self.assertEqual(Client().get(f"/sign-in/back/{query}").status_code, 403, query)
        client = Client()
        begun = client.get("/sign-in/single/")
        there = requests.get(f"{begun['Location']}&as=mirela", allow_redirects=False, timeout=10)
        address = urlsplit(there.headers["Location"])
        other = Client().get(f"{address.path}?{address.query}")
        self.assertEqual(other.status_code, 403, "another browser's answer")

    def test_what_the_provider_says_of_itself_is_asked_again_in_time(self) -> None:
        asked = []

        def get(address: str, **more: Any) -> Any:
            asked.append(address)
            return requests.api.get(address, **more)

        now = time.monotonic()
        with patch("web.people.single_sign_on.requests.get", get):
            for seconds, times in ((0, 1), (599, 1), (601, 2), (700, 2)):
                with patch("web.people.single_sign_on.time.monotonic", return_value=now + seconds):
                    self.assertEqual(single_sign_on.provider()["issuer"], self.service.issuer)
                self.assertEqual(len(asked), times, f"after {seconds} s")

    def test_a_service_that_is_away_is_said_and_without_one_there_is_no_such_page(self) -> None:
        away = {**settings.SINGLE_SIGN_ON, "discovery": "http://127.0.0.1:9/none"}
        with override_settings(SINGLE_SIGN_ON=away):
            for address in ("/sign-in/single/", "/sign-in/back/?code=a&state=b"):
                reply = Client().get(address)
                self.assertEqual(reply.status_code, 403)
                self.assertIn("doesn&#x27;t answer as it should", reply.content.decode())
        with override_settings(SINGLE_SIGN_ON={**away, "discovery": ""}):
            for address in ("/sign-in/single/", "/sign-in/back/?code=a&state=b"):
                self.assertEqual(Client().get(address).status_code, 404)
            self.assertNotIn("Sign in with", Client().get("/sign-in/").content.decode())
