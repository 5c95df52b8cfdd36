"""The words of an nginx settings file, by crossplane, which reads files alone: it is handed one in memory."""

from __future__ import annotations

import os
from itertools import islice

import crossplane
from crossplane.errors import NgxParserBaseException

from mintseed.core.image.web_servers import MOST_TOKENS, Token


def nginx_tokens(data: bytes) -> tuple[Token, ...]:
    """Return the words of `data`, each with whether it was quoted; of a file that is not whole those before it breaks."""
    descriptor = os.memfd_create("site")
    found: list[Token] = []
    try:
        os.write(descriptor, data)
        for word, _line, quoted in islice(crossplane.lex(f"/proc/{os.getpid()}/fd/{descriptor}"), MOST_TOKENS):
            found.append((word, quoted))
    except (NgxParserBaseException, StopIteration, RuntimeError):
        pass  # RuntimeError: its generator ended in the middle of an escape
    finally:
        os.close(descriptor)
    return tuple(found)
