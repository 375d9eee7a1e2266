"""From the document to pictures: plan, draw, cache, export."""
