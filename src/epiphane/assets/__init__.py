"""Fonts, faces of titles, icons, recipes and overlays that are shipped, with their licences beside them."""

from pathlib import Path

ASSETS = Path(__file__).parent
FONTS = ASSETS / "fonts"
ICONS = ASSETS / "icons"
DESKTOP = ASSETS / "desktop"
RECIPES = ASSETS / "recipes"
OVERLAYS = ASSETS / "overlays"
FACES = ASSETS / "faces"
