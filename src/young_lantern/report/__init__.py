"""Results -> text, HTML and JSON. Nothing here decides; nothing here prints."""
