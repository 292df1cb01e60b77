"""Numbers of documents, with the limits that most parameters have."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

#: A part of a whole, 0 to 1.
Share = Annotated[float, Field(ge=0, le=1)]
#: Any number that float32 holds well.
Wide = Annotated[float, Field(ge=-1e9, le=1e9)]
