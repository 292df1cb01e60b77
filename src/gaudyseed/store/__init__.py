"""What is kept: scenes as revisions, imported columns by content. One SQLite file."""

from .assets import AssetStore
from .store import Conflict, EarlierState, LibraryItem, Missing, SceneState, Store
from .troubles import Trouble

__all__ = ["AssetStore", "Conflict", "EarlierState", "LibraryItem", "Missing", "SceneState", "Store", "Trouble"]
