"""What is kept: scenes as revisions, imported columns by content. One SQLite file."""

from .store import Conflict, LibraryItem, Missing, SceneState, Store

__all__ = ["Conflict", "LibraryItem", "Missing", "SceneState", "Store"]
