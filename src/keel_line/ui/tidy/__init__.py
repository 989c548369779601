"""The Tidy station."""
