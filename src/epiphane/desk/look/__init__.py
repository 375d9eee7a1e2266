"""What everything in the window is painted with and made of: colours, fonts, fields, marks."""
