"""Songs rendered in code with exact truth, to measure listening on, and later to learn from.

Not part of the product: nothing in `src` imports it.
"""
