"""Customs at home on the desktop: its entry in menus, icons, kinds of files, by the specifications of freedesktop.org."""
