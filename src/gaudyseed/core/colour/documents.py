"""Colours as they stand in documents."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, ValidatorFunctionWrapHandler, WrapValidator

from .spaces import HEX_PATTERN, Light, to_hex


def _worked_out(value: Any, check: ValidatorFunctionWrapHandler) -> Any:
    """Let a colour pass that a dial's keys gave, which is no text of a document."""
    return value if isinstance(value, Light) else check(value)


#: A text, or a colour that a dial's keys gave.
Text = Annotated[str, WrapValidator(_worked_out)]
#: ``#rrggbb``, or a colour that a dial's keys gave.
HexColour = Annotated[str, Field(pattern=HEX_PATTERN), WrapValidator(_worked_out)]


def written(colour: str) -> str:
    """A colour of a document as people read it: ``#rrggbb``.

    >>> written("#d8452f")
    '#d8452f'
    """
    return to_hex(colour.linear) if isinstance(colour, Light) else colour
