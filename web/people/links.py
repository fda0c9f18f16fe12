"""Addresses that are sent to somebody."""

from __future__ import annotations

import os


def address(token: str) -> str:
    base = os.environ.get("PINE_ADDRESS") or f"http://127.0.0.1:{os.environ.get('PINE_SERVED_PORT', '8123')}"
    return f"{base.rstrip('/')}/link/{token}/"
