"""Cheapest path over a two-layer grid of priced cells (A*, Hart, Nilsson and Raphael 1968)."""

from __future__ import annotations

import heapq

INF = float("inf")
Cells = set[int]


def search(
    track: list[float], via: list[float], sources: Cells, targets: Cells, width: int, blind: bool = False
) -> list[int] | None:
    """Cells of the cheapest way from `sources` to `targets`, or None.

    A cell is layer × size + y × width + x; `track` prices a step onto each cell, `via` a change of layer at each place.
    `blind` searches in all directions, for the nearest of many targets.
    """
    size = len(track) // 2
    goal = [divmod(t % size, width) for t in targets]
    if not goal:
        return None
    gy0, gy1 = min(g[0] for g in goal), max(g[0] for g in goal)
    gx0, gx1 = min(g[1] for g in goal), max(g[1] for g in goal)

    def estimate(cell: int) -> float:
        if blind:  # the nearest of many targets: no direction to aim at
            return 0.0
        y, x = divmod(cell % size, width)
        dx, dy = max(gx0 - x, x - gx1, 0), max(gy0 - y, y - gy1, 0)
        return max(dx, dy) + 0.4142 * min(dx, dy)

    cost = {cell: 0.0 for cell in sources if track[cell] < INF}
    came: dict[int, int] = {}
    heap = [(estimate(cell), cell) for cell in cost]
    heapq.heapify(heap)
    moves = [
        (1, 1.0),
        (-1, 1.0),
        (width, 1.0),
        (-width, 1.0),
        (width + 1, 1.4142),
        (width - 1, 1.4142),
        (1 - width, 1.4142),
        (-width - 1, 1.4142),
    ]
    closed: Cells = set()
    while heap:
        _, cell = heapq.heappop(heap)
        if cell in closed:
            continue
        closed.add(cell)
        if cell in targets:
            path = [cell]
            while cell in came:
                cell = came[cell]
                path.append(cell)
            return path[::-1]
        base = cost[cell]
        steps = [(cell + d, base + c * track[cell + d]) for d, c in moves]
        if via[cell % size] < INF:
            other = cell + size if cell < size else cell - size
            steps.append((other, base + via[cell % size] + track[other]))
        for other, total in steps:
            if total >= cost.get(other, INF) or other in closed:
                continue
            cost[other] = total
            came[other] = cell
            heapq.heappush(heap, (total + estimate(other), other))
    return None
