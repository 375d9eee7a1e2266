"""Text as pictures: faces, layout, letters, how they move."""
