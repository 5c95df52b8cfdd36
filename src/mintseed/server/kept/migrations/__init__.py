"""Changes of the tables, in order. One that was on main is never edited: what it names lies where it lay then."""

import sys
from importlib import import_module

import mintseed.server

LAY_IN_THE_HALL = {
    "secret_field": "kept.secret_field",
    "exact_text": "kept.exact_text",
    "stored_types": "kept.stored_types",
    "library": "owned.library",
}
"""module of `mintseed.server` that migrations up to 0011 name → where it is now"""


def _module(name: str) -> object:
    module = import_module(f"mintseed.server.{LAY_IN_THE_HALL[name]}")
    sys.modules[f"mintseed.server.{name}"] = module
    setattr(mintseed.server, name, module)
    return module


for _name in LAY_IN_THE_HALL:
    _module(_name)
