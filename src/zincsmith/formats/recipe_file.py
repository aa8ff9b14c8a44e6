"""Recipes as TOML: which figures count for whom, what earns nothing and everything, and how much each weighs."""

from __future__ import annotations

from pathlib import Path

from zincsmith.formats.record_file import bind, raw_of
from zincsmith.model.errors import InputError
from zincsmith.model.figures import FIGURES
from zincsmith.model.recipe import Recipe


def read_recipe(file: Path) -> Recipe:
    """InputError, with file, key and line, for what is no recipe."""
    raw, text = raw_of(file)
    recipe = bind(Recipe, raw, str(file), text)
    for one in recipe.wish:
        if one.figure not in FIGURES:
            raise InputError(f"there is no figure {one.figure!r}", file=str(file), key="wish.figure")
        if one.nought == one.full:
            raise InputError(f"{one.figure}: what earns nothing and what earns all are the same", file=str(file),
                             key="wish.full")  # fmt: skip
        if not one.weight >= 0.0:
            raise InputError(f"{one.figure}: a weight is nothing or more", file=str(file), key="wish.weight")
    if not recipe.wish or not sum(one.weight for one in recipe.wish) > 0.0:
        raise InputError("a recipe wants something: one [[wish]] with a weight at least", file=str(file), key="wish")
    return recipe
