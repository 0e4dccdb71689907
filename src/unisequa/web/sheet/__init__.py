"""The sheet's geometry: pure functions from dates to marks, drawn by the templates as SVG."""
