"""Zincsmith: characterizes power supplies on the bench and compares them with their ratings."""

import os

# How records are read is ours alone: a plug-in that happens to be installed could change it, and looking for one goes
# through every distribution of the environment at each start.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.2.0"
