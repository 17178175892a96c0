"""The person's desktop and disk: menu entry, folders, permissions, incidents."""
