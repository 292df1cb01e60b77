"""The application: HTTP around the core and the store."""

from .app import create_app

__all__ = ["create_app"]
