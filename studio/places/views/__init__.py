"""Views by subject."""
