"""What is kept: scenes as revisions, imported columns by content. One SQLite file."""

from .keeper import Keeper
from .store import Conflict, EarlierState, LibraryItem, Missing, SceneState, Store
from .troubles import Trouble

__all__ = ["Conflict", "EarlierState", "Keeper", "LibraryItem", "Missing", "SceneState", "Store", "Trouble"]
