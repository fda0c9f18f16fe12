"""The application's settings with a way of keeping passwords that costs nothing; test_signing_in.py sees that
the application's own is the slow one."""

from web.settings import *  # noqa: F403
from web.settings import PASSWORD_HASHERS as REAL

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher", *REAL]
