"""The window, its rail and its status bar."""
