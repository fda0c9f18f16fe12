"""Brings the machine to where the application can run. Standard library only: it runs before anything is
installed."""
