"""The window: stations on the line, driven from the keyboard. The only package that knows Qt."""
