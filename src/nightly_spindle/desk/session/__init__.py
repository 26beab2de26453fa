"""The desk among other programs: media keys, notifications, tray, the screen's bounds."""
