"""Fonts, icons and recipes that are shipped with the application, with their licences beside them."""

from pathlib import Path

ASSETS = Path(__file__).parent
FONTS = ASSETS / "fonts"
ICONS = ASSETS / "icons"
RECIPES = ASSETS / "recipes"
