"""Routes: the line, the pacing along it, and the camera's way that they make together."""
