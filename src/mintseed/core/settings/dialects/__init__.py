"""Configuration syntaxes. Each module edits in place (`apply`) and judges (`check`); `registry.py` lists them."""
