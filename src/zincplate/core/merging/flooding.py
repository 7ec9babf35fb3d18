"""Flooding a picture from its lowest places: a watershed by priority (Meyer, "Topographic distance and watershed lines", Signal
Processing 38, 1994), with one queue for each of 256 heights."""

import numpy as np
from numba import njit


@njit(cache=True)
def flooded(height, codes, labels, count):
    """Floods from labels (> 0) upwards over ``height`` (uint8), within equal codes; what no flood reaches becomes patches of its
    own. Returns the number of patches."""
    h, w = codes.shape
    size = h * w
    level_head = np.full(256, -1, np.int64)
    after = np.full(size, -1, np.int64)
    flat, code, high = labels.reshape(-1), codes.reshape(-1), height.reshape(-1)
    queued = np.zeros(size, np.bool_)
    tail = np.full(256, -1, np.int64)
    for i in range(size):
        if flat[i] > 0:
            v = high[i]
            if level_head[v] < 0:
                level_head[v] = i
            else:
                after[tail[v]] = i
            tail[v] = i
            queued[i] = True
    level = 0
    while level < 256:
        i = level_head[level]
        if i < 0:
            level += 1
            continue
        level_head[level] = after[i]
        y, x = i // w, i % w
        for k in range(4):
            ny = y + (1 if k == 0 else -1 if k == 1 else 0)
            nx = x + (1 if k == 2 else -1 if k == 3 else 0)
            if ny < 0 or nx < 0 or ny >= h or nx >= w:
                continue
            j = ny * w + nx
            if queued[j] or code[j] != code[i]:
                continue
            queued[j] = True
            flat[j] = flat[i]
            v = max(level, int(high[j]))
            after[j] = -1
            if level_head[v] < 0:
                level_head[v] = j
            else:
                after[tail[v]] = j
            tail[v] = j
    stack = np.empty(size, np.int64)
    for start in range(size):
        if flat[start] > 0 or code[start] == 0:
            continue
        count += 1
        stack[0], depth = start, 1
        flat[start] = count
        while depth > 0:
            depth -= 1
            i = stack[depth]
            y, x = i // w, i % w
            for k in range(4):
                ny = y + (1 if k == 0 else -1 if k == 1 else 0)
                nx = x + (1 if k == 2 else -1 if k == 3 else 0)
                if ny < 0 or nx < 0 or ny >= h or nx >= w:
                    continue
                j = ny * w + nx
                if flat[j] == 0 and code[j] == code[i]:
                    flat[j] = count
                    stack[depth] = j
                    depth += 1
    return count
