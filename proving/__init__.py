"""The proving ground: cards filled by the application start a real Linux, whose real software reads them in a real radio cell."""
