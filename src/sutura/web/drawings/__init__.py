"""Core geometry drawn as SVG in millimetres."""
