"""The release this is; pyproject.toml and CHANGELOG name the same."""

VERSION = "0.1.0"
