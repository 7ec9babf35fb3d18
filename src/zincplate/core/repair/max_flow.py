"""The smallest cut of a grid of pixels between two ends, for choices between two by two neighbours.

Boykov & Kolmogorov, "An experimental comparison of min-cut/max-flow algorithms for energy minimization in vision", PAMI 26, 2004:
two trees grow from the ends, paths where they meet are filled, and what they lose is adopted again.
"""

import numpy as np
from numba import njit

FREE, TERMINAL, ORPHAN = -1, 4, 5
_FAR = 1 << 30


@njit(nogil=True, cache=True)
def _beside(i, d, width):
    """The neighbour to the right, left, below or above."""
    return i + 1 if d == 0 else i - 1 if d == 1 else i + width if d == 2 else i - width


@njit(nogil=True, cache=True)
def smallest_cut(capacity, ends, width):
    """Side of every pixel of a grid: True where it stays with the sink.

    ``capacity`` (4, n) int32: what an edge to the right, left, below, above can take (0 where there is no neighbour), used up by
    the call. ``ends`` (n,) int32: what comes from the source, less what goes to the sink; used up as well.
    """
    n = ends.size
    parent = np.full(n, FREE, np.int8)
    in_sink = np.zeros(n, np.bool_)
    stamp, far = np.zeros(n, np.int32), np.zeros(n, np.int32)
    queue, waits = np.empty(n + 1, np.int32), np.zeros(n, np.bool_)
    head, tail = 0, 0
    orphans = np.empty(4 * n + 8, np.int32)
    for i in range(n):
        if ends[i] != 0:
            parent[i], in_sink[i], far[i] = TERMINAL, ends[i] < 0, 1
            queue[tail], waits[i] = i, True
            tail = (tail + 1) % (n + 1)
    time, current = 0, -1
    while True:
        if current < 0 or parent[current] == FREE:
            current = -1
            while head != tail:
                i = queue[head]
                head = (head + 1) % (n + 1)
                waits[i] = False
                if parent[i] != FREE:
                    current = i
                    break
            if current < 0:
                break
        i = current
        met, meeting = -1, -1
        sink = in_sink[i]
        for d in range(4):
            j = _beside(i, d, width)
            if j < 0 or j >= n:
                continue
            room = capacity[d ^ 1, j] if sink else capacity[d, i]
            if room <= 0:
                continue
            if parent[j] == FREE:
                parent[j], in_sink[j] = d ^ 1, sink
                stamp[j], far[j] = stamp[i], far[i] + 1
                if not waits[j]:
                    queue[tail], waits[j] = j, True
                    tail = (tail + 1) % (n + 1)
            elif in_sink[j] != sink:
                met, meeting = j, d
                break
            elif stamp[j] <= stamp[i] and far[j] > far[i]:
                parent[j], stamp[j], far[j] = d ^ 1, stamp[i], far[i] + 1
        time += 1
        if met < 0:
            current = -1
            continue
        a, b, d = (met, i, meeting ^ 1) if sink else (i, met, meeting)
        # the least that all edges of the path can take
        least = capacity[d, a]
        k = a
        while parent[k] != TERMINAL:
            up = _beside(k, parent[k], width)
            least = min(least, capacity[parent[k] ^ 1, up])
            k = up
        least = min(least, ends[k])
        k = b
        while parent[k] != TERMINAL:
            least = min(least, capacity[parent[k], k])
            k = _beside(k, parent[k], width)
        least = min(least, -ends[k])
        capacity[d, a] -= least
        capacity[d ^ 1, b] += least
        first, last = 0, 0
        k = a
        while parent[k] != TERMINAL:
            p = parent[k]
            up = _beside(k, p, width)
            capacity[p ^ 1, up] -= least
            capacity[p, k] += least
            if capacity[p ^ 1, up] == 0:
                parent[k] = ORPHAN
                orphans[last] = k
                last += 1
            k = up
        ends[k] -= least
        if ends[k] == 0:
            parent[k] = ORPHAN
            orphans[last] = k
            last += 1
        k = b
        while parent[k] != TERMINAL:
            p = parent[k]
            up = _beside(k, p, width)
            capacity[p, k] -= least
            capacity[p ^ 1, up] += least
            if capacity[p, k] == 0:
                parent[k] = ORPHAN
                orphans[last] = k
                last += 1
            k = up
        ends[k] += least
        if ends[k] == 0:
            parent[k] = ORPHAN
            orphans[last] = k
            last += 1
        # adoption
        while first != last:
            k = orphans[first]
            first = (first + 1) % orphans.size
            sink_k = in_sink[k]
            best, nearest = -1, _FAR
            for d in range(4):
                j = _beside(k, d, width)
                if j < 0 or j >= n or parent[j] == FREE or in_sink[j] != sink_k:
                    continue
                room = capacity[d, k] if sink_k else capacity[d ^ 1, j]
                if room <= 0:
                    continue
                # does it come from its end?
                steps, m = 0, j
                while True:
                    if stamp[m] == time:
                        steps += far[m]
                        break
                    steps += 1
                    if parent[m] == TERMINAL:
                        stamp[m], far[m] = time, 1
                        break
                    if parent[m] == ORPHAN:
                        steps = _FAR
                        break
                    m = _beside(m, parent[m], width)
                if steps >= _FAR:
                    continue
                if steps < nearest:
                    best, nearest = d, steps
                m, left = j, steps
                while stamp[m] != time:
                    stamp[m], far[m] = time, left
                    left -= 1
                    m = _beside(m, parent[m], width)
            if best >= 0:
                parent[k], stamp[k], far[k] = best, time, nearest + 1
                continue
            parent[k] = FREE
            for d in range(4):
                j = _beside(k, d, width)
                if j < 0 or j >= n or parent[j] == FREE or in_sink[j] != sink_k:
                    continue
                room = capacity[d, k] if sink_k else capacity[d ^ 1, j]
                if room > 0 and not waits[j]:
                    queue[tail], waits[j] = j, True
                    tail = (tail + 1) % (n + 1)
                p = parent[j]
                if p < TERMINAL and _beside(j, p, width) == k:
                    parent[j] = ORPHAN
                    orphans[last] = j
                    last = (last + 1) % orphans.size
    out = np.zeros(n, np.bool_)
    for i in range(n):
        out[i] = parent[i] != FREE and in_sink[i]
    return out
