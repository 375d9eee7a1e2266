"""The window: it shows the document and asks for edits; it decides nothing itself."""
