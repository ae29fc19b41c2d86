"""What is asked from outside the page: by a shortcut of the desktop, a foot switch, a script, a
status bar."""
