"""What drawings made on the server share: scales, series for curves, the widths of words."""
