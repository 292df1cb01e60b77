"""What scenes keep beside their documents: painted columns, pictures and meshes, from the store or still in memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, cast

from ..core.digest import digest_of
from ..core.formats.pictures import read_picture
from ..core.formats.shape_files import read_shape
from ..core.geometry.packed_shapes import MAGIC, unpacked
from ..core.geometry.shapes import ShapeMesh
from ..core.pictures.picture import Picture
from ..core.runtime.cache import ResultCache
from ..core.scene.assets import Asset, gone_column, gone_picture
from ..core.scene.model import Scene
from .store import Store

#: Columns that were painted and not kept yet: strokes under way.
_FRESH_BYTES = 128 * 1024 * 1024
#: Digests of these that are remembered.
_MOST_UNSETTLED = 10_000


class AssetStore:
    """What scenes keep beside their documents: painted columns and pictures, from the store or still in memory."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._fresh = ResultCache(_FRESH_BYTES)
        self._assets = ResultCache()
        self._reading, self._noting = threading.Lock(), threading.Lock()
        self._unsettled: OrderedDict[str, None] = OrderedDict()

    def hold(self, data: bytes) -> str:
        """Hold a column that is still being painted; returns the digest it goes by."""
        digest = digest_of(data)
        self._fresh.put(digest, data, len(data))
        with self._noting:
            self._unsettled[digest] = None
            while len(self._unsettled) > _MOST_UNSETTLED:
                self._unsettled.popitem(last=False)
        return digest

    def settle(self, scene: Scene) -> None:
        """Store what a scene that is being saved names and what is only held: a stroke under way, beside an edit."""
        named = {column.digest for population in scene.populations for column in population.painted}
        with self._noting:
            wanted = [digest for digest in self._unsettled if digest in named]
            for digest in wanted:
                del self._unsettled[digest]
        held = {digest: data for digest in wanted if (data := self._fresh.get(digest)) is not None}
        if held:
            self._store.put_columns(held)

    def column(self, digest: str, place: str) -> bytes:
        """The bytes of a painted column; BadInput where they are gone."""
        held: bytes | None = self._fresh.get(digest)
        if held is not None:
            return held
        try:
            found = bytes(self._store.column(digest))
        except KeyError:
            raise gone_column(place) from None
        self._fresh.put(digest, found, len(found))
        return found

    def picture(self, asset: Asset, place: str) -> Picture:
        """A picture by its content; read once, however many ask at the same time."""
        return cast(Picture, self._read(asset, place, lambda data: _picture_of(data, asset)))

    def mesh(self, asset: Asset, place: str) -> ShapeMesh:
        """A small mesh by its content."""
        return cast(ShapeMesh, self._read(asset, place, lambda data: _shape_of(data, asset)))

    def _read(self, asset: Asset, place: str, read: Callable[[bytes], tuple[Any, int]]) -> Any:
        """What a file in the store holds, with about how many bytes it takes; kept."""
        with self._reading:
            found = self._assets.get(asset.kind + asset.digest)
            if found is None:
                try:
                    data = bytes(self._store.column(asset.digest))
                except KeyError:
                    raise gone_picture(asset, place) from None
                found, size = read(data)
                self._assets.put(asset.kind + asset.digest, found, size)
        return found


def _picture_of(data: bytes, asset: Asset) -> tuple[Picture, int]:
    found = Picture(asset.digest, read_picture(data, asset.name).texels)
    return found, found.nbytes


def _shape_of(data: bytes, asset: Asset) -> tuple[ShapeMesh, int]:
    """A shape out of a file that holds one, or as an import keeps it."""
    mesh = unpacked(data) if data.startswith(MAGIC) else read_shape(data, asset.file or asset.name)
    return mesh, mesh.nbytes
