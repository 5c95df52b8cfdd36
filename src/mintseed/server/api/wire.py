"""What goes over the wire."""

from __future__ import annotations

from pydantic import BaseModel


class Wire(BaseModel):
    """Base of what comes in and goes out as JSON.

    Not the schema of the library that routes: that one makes every value of every answer anew, once for each level it lies at, by a getter that also
    reads rows and calls methods. Nothing here is made of a row by itself, so an answer of a hundred lines is made once, ten times as fast.
    """
