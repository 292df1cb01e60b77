"""What every maker has in common."""

from __future__ import annotations

from functools import cached_property
from typing import Any, ClassVar, Protocol, get_args

from ...digest import digest_of
from ...look.follow import Follower
from ...registry import Registry
from ..population import Population


class ColumnSource(Protocol):
    """Where imported columns lie: by the digest of their content."""

    def column(self, digest: str) -> bytes:
        """The bytes of a column; KeyError where there is none."""


#: Every maker by the word it has in documents.
MAKERS: Registry[type[MakerModel]] = Registry("maker")


class MakerModel(Follower):
    """A maker's document: parameters that decide the population completely.

    A subclass that declares ``maker: Literal["word"]`` registers itself. Parameters that may follow a dial are
    ``Dialled[...]``; they are put in by ``look.follow.resolved`` before ``make`` is called.
    """

    #: What the page calls it, and whether it offers it as something new.
    title: ClassVar[str] = ""
    offered: ClassVar[bool] = True

    @classmethod
    def __pydantic_init_subclass__(cls, **more: Any) -> None:
        super().__pydantic_init_subclass__(**more)
        word = cls.model_fields.get("maker")
        if word is not None:
            MAKERS.add(get_args(word.annotation)[0], cls)

    @cached_property
    def key(self) -> str:
        """Equal keys make equal populations."""
        content: dict[str, Any] = self.model_dump(mode="json")
        return digest_of("maker", content)

    @property
    def ground(self) -> str | None:
        """The stand-in surface that the elements stand on, where there is one to show."""
        return None

    def make(self, columns: ColumnSource) -> Population:
        """Produce the population; BadInput where that is not possible."""
        raise NotImplementedError
