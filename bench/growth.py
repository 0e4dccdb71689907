"""The plot of growth: milliseconds against steps, on logarithmic axes."""

from __future__ import annotations

import math
from collections.abc import Sequence

WIDTH, HEIGHT, LEFT, TOP, RIGHT, BOTTOM = 580, 340, 70, 24, 44, 48


def drawn(points: Sequence[tuple[int, float]]) -> str:
    """An SVG of (steps, microseconds a step), with the line of exactly proportional growth through the first."""
    times = [(steps, steps * each / 1000) for steps, each in points]
    x_low, x_high = math.log10(times[0][0]), math.log10(times[-1][0])
    y_low = math.floor(math.log10(min(t for _, t in times)))
    y_high = math.ceil(math.log10(max(t for _, t in times)))

    def place(steps: float, time: float) -> tuple[float, float]:
        x = LEFT + (math.log10(steps) - x_low) / (x_high - x_low) * (WIDTH - LEFT - RIGHT)
        y = HEIGHT - BOTTOM - (math.log10(time) - y_low) / (y_high - y_low) * (HEIGHT - TOP - BOTTOM)
        return round(x, 1), round(y, 1)

    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" font-family="sans-serif"',
        ' font-size="12">',
        f'<rect width="{WIDTH}" height="{HEIGHT}" fill="#fbf9f4"/>',
    ]
    for steps, _ in times:
        x, _ = place(steps, 10**y_low)
        parts.append(f'<path d="M{x} {TOP}V{HEIGHT - BOTTOM}" stroke="#d8d3c7"/>')
        parts.append(f'<text x="{x}" y="{HEIGHT - BOTTOM + 18}" text-anchor="middle" fill="#1d2733">{steps:,}</text>')
    for power in range(y_low, y_high + 1):
        _, y = place(times[0][0], 10.0**power)
        parts.append(f'<path d="M{LEFT} {y}H{WIDTH - RIGHT}" stroke="#d8d3c7"/>')
        parts.append(f'<text x="{LEFT - 8}" y="{y + 4}" text-anchor="end" fill="#1d2733">{10.0**power:g} ms</text>')
    first = times[0]
    a, b = place(*first), place(times[-1][0], first[1] * times[-1][0] / first[0])
    parts.append(f'<path d="M{a[0]} {a[1]}L{b[0]} {b[1]}" stroke="#8a8577" stroke-dasharray="5 4"/>')
    line = "L".join(f"{x} {y}" for x, y in (place(*point) for point in times))
    parts.append(f'<path d="M{line}" fill="none" stroke="#1f6f5c" stroke-width="2"/>')
    parts += [f'<circle cx="{x}" cy="{y}" r="3.5" fill="#1f6f5c"/>' for x, y in (place(*point) for point in times)]
    middle = (LEFT + WIDTH - RIGHT) / 2
    parts.append(f'<text x="{middle}" y="{HEIGHT - 8}" text-anchor="middle" fill="#1d2733">steps</text>')
    return "\n".join([*parts, "</svg>"]) + "\n"
