"""Colours as text: hex codes and CSS colours, separated by anything, with or without places."""

from __future__ import annotations

import re
from dataclasses import dataclass

from PIL import ImageColor

from ..errors import BadInput

LONGEST = 100_000
#: A function such as rgb(…) or hsl(…), a hex code with or without #, or a word; each may have a place after it.
_COLOUR = (
    r"(?P<function>(?:rgb|hsl)a?\([^()]{1,80}\))|#(?P<marked>[0-9a-fA-F]{8}|[0-9a-fA-F]{6}|[0-9a-fA-F]{3,4})(?![0-9a-zA-Z])"
    r"|(?<![0-9a-zA-Z#.])(?P<bare>[0-9a-fA-F]{6})(?![0-9a-zA-Z.])|(?P<word>[a-zA-Z]{3,20})"
)
#: Blanks are never tried again in other ways ("possessive"): a text of blanks takes as long as it is.
_FOUND = re.compile(rf"(?:{_COLOUR})(?:\s*+[@:]?\s*+(?P<place>[0-9]{{1,3}}(?:\.[0-9]+)?)\s*+%)?")


@dataclass(frozen=True)
class Found:
    """A colour of a text as ``#rrggbb``, and its place in 0..1 where one stands behind it."""

    colour: str
    at: float | None


def colours_in(text: str, most: int = 4096) -> list[Found]:
    """All colours of a text, in order: hex codes of 3, 4, 6 or 8 digits, rgb(), hsl(), and the CSS colour names.

    Alpha is dropped. Words that are no colours are passed over.

    Raises
    ------
    BadInput
        Where there is none, or the text is too long.

    References
    ----------
    CSS Color Module Level 4, 6 (names, through Pillow's ImageColor) and 4.2 (hexadecimal).
    """
    if len(text) > LONGEST:
        raise BadInput(f"The text has {len(text):,} characters; at most {LONGEST:,} are taken.", place="text")
    found = []
    for match in _FOUND.finditer(text):
        colour = _hex_of(match)
        if colour is None:
            continue
        place = match["place"]
        found.append(Found(colour, min(float(place) / 100, 1.0) if place is not None else None))
        if len(found) > most:
            raise BadInput(f"The text has more than {most:,} colours. Paste fewer.", place="text")
    if not found:
        raise BadInput("No colours are in this text. Paste hex codes such as #d8452f, or CSS colours.", place="text")
    return found


def no_colours(text: str, most: int = 12) -> list[str]:
    """Words and hex codes of a text that are no colours, each once, at most so many.

    >>> no_colours("#d8452f reddish, #12, teal")
    ['reddish', '#12']
    """
    rest = _FOUND.sub(lambda match: " " if _hex_of(match) else match.group(0), text[:LONGEST])
    words = re.findall(r"#?[0-9A-Za-z][0-9A-Za-z_-]*", rest)
    told = [w for w in dict.fromkeys(words) if w.startswith("#") or not w.isdigit()]
    return told[:most]


def _hex_of(match: re.Match[str]) -> str | None:
    digits = match["marked"] or match["bare"]
    if digits:
        if len(digits) < 6:
            digits = "".join(d + d for d in digits[:3])
        return f"#{digits[:6].lower()}"
    try:
        rgb = ImageColor.getrgb(match["function"] or match["word"].lower())
    except ValueError:
        return None
    # Channels out of range are held within it (CSS Color Module Level 4, 5.1 and 7).
    return "#{:02x}{:02x}{:02x}".format(*(min(max(c, 0), 255) for c in rgb[:3]))
