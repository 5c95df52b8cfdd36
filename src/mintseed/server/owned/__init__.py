"""What there is to work with: described things and texts somebody brought, what lies on the shelf and who uses it, the library."""
