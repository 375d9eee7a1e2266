"""The window itself: application, header, notices, keys, theme, first page."""
