"""Demosaicing of any regular colour filter array: 6 x 6 mosaics, four colours, greens side by side, quads.

The densest colour is interpolated first, along the direction in which a first estimate of lightness changes least; the others by
residual interpolation with it as guide (Kiku, Monno, Tanaka, Okutomi, "Residual interpolation for color image demosaicking", ICIP
2013): a local linear model of the guide, then the residuals of the samples, interpolated. On signed square roots, like the
demosaicing of Bayer mosaics (docs/decisions/0003-demosaic-on-square-roots.md).
"""

import os
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

_FIRST = 1.1
_ALONG, _ACROSS = 0.9, 0.38
_DIRECTIONS = 4
_EPSILON = 1e-5


def _normalised(values: Float32, mask: Float32, kernel: Float32) -> Float32:
    """Weighted mean of the samples under a kernel; where there are none, of a wider one."""
    total = cv2.filter2D(values * mask, -1, kernel, borderType=cv2.BORDER_REFLECT_101)
    weight = cv2.filter2D(mask, -1, kernel, borderType=cv2.BORDER_REFLECT_101)
    found = total / np.maximum(weight, 1e-6)
    if weight.min() > 1e-3:
        return np.asarray(found)
    wide = _kernel(2.5, 2.5, 0.0, 6)
    far = cv2.filter2D(values * mask, -1, wide, borderType=cv2.BORDER_REFLECT_101)
    far /= np.maximum(cv2.filter2D(mask, -1, wide, borderType=cv2.BORDER_REFLECT_101), 1e-9)
    share = np.minimum(weight / 1e-3, 1.0)
    return np.asarray(found * share + far * (1 - share), np.float32)


def _kernel(along: float, across: float, angle: float, reach: int = 3) -> Float32:
    """Gaussian of two widths, turned by an angle."""
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float64)
    u, v = x * np.cos(angle) + y * np.sin(angle), -x * np.sin(angle) + y * np.cos(angle)
    kernel = np.exp(-(u**2) / (2 * along**2) - v**2 / (2 * across**2))
    return (kernel / kernel.sum()).astype(np.float32)


def _dense(roots: Float32, mask: Float32, lightness: Float32) -> Float32:
    """The densest colour everywhere, along edges."""
    gx = cv2.Sobel(lightness, cv2.CV_32F, 1, 0, scale=0.125)
    gy = cv2.Sobel(lightness, cv2.CV_32F, 0, 1, scale=0.125)
    tensor = [cv2.GaussianBlur(p, (0, 0), 1.2) for p in (gx * gx, gx * gy, gy * gy)]
    total, weights = np.zeros_like(roots), np.zeros_like(roots)
    for i in range(_DIRECTIONS):
        angle = np.pi * i / _DIRECTIONS
        c, s = np.cos(angle), np.sin(angle)
        change = c * c * tensor[0] + 2 * c * s * tensor[1] + s * s * tensor[2]
        weight = (1 / (np.maximum(change, 0) + _EPSILON)) ** 2
        total += _normalised(roots, mask, _kernel(_ALONG, _ACROSS, angle)) * weight
        weights += weight
    found = total / weights
    return np.asarray(np.where(mask > 0, roots, found), np.float32)


def _guided(roots: Float32, mask: Float32, guide: Float32, size: int) -> Float32:
    """A colour everywhere from its samples and a guide: local linear model, then its residuals."""

    def mean(values: NDArray[Any]) -> Float32:
        return np.asarray(cv2.GaussianBlur(values, (size, size), size / 4, borderType=cv2.BORDER_REFLECT_101))

    weight = np.maximum(mean(mask), 1e-6)
    mean_guide, mean_value = mean(guide * mask) / weight, mean(roots * mask) / weight
    covariance = mean(guide * roots * mask) / weight - mean_guide * mean_value
    variance = mean(np.square(guide) * mask) / weight - np.square(mean_guide)
    slope = covariance / (variance + _EPSILON)
    slope = np.clip(slope, -4, 4)
    offset = mean_value - slope * mean_guide
    model = mean(slope) * guide + mean(offset)
    residual = _normalised(roots - model, mask, _kernel(_FIRST, _FIRST, 0.0))
    return np.asarray(np.where(mask > 0, roots, model + residual), np.float32)


_STRIP, _MARGIN = 192, 24


def demosaic_any(sites: Float32, pattern: NDArray[np.int64], planes: int) -> Float32:
    """(h, w) balanced linear sites -> (h, w, planes) linear.

    ``pattern`` (rows, columns) gives the plane of each site and repeats from the first site on; every plane must occur.
    """
    height, width = sites.shape
    if height <= _STRIP + 2 * _MARGIN:
        return _strip(sites, pattern, planes)
    out = np.empty((height, width, planes), np.float32)

    def work(first: int) -> None:
        last = min(first + _STRIP, height)
        top, bottom = max(first - _MARGIN, 0), min(last + _MARGIN, height)
        turned = np.roll(pattern, -(top % pattern.shape[0]), 0)
        out[first:last] = _strip(sites[top:bottom], turned, planes)[first - top : last - top]

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        list(pool.map(work, range(0, height, _STRIP)))
    return out


def _strip(sites: Float32, pattern: NDArray[np.int64], planes: int) -> Float32:
    height, width = sites.shape
    pad = 8
    padded = np.pad(sites, pad, mode="reflect" if min(height, width) > pad else "edge")
    rows, columns = (np.arange(padded.shape[0]) - pad), (np.arange(padded.shape[1]) - pad)
    if min(height, width) > pad:
        # mirrored sites keep the colour of where they come from
        rows = np.where(rows < 0, -rows, np.where(rows >= height, 2 * height - 2 - rows, rows))
        columns = np.where(columns < 0, -columns, np.where(columns >= width, 2 * width - 2 - columns, columns))
    else:
        rows, columns = np.clip(rows, 0, height - 1), np.clip(columns, 0, width - 1)
    colour = pattern[rows % pattern.shape[0]][:, columns % pattern.shape[1]]
    roots = np.copysign(np.sqrt(np.abs(padded)), padded).astype(np.float32)
    masks = [(colour == plane).astype(np.float32) for plane in range(planes)]
    first = [_normalised(roots, mask, _kernel(_FIRST, _FIRST, 0.0)) for mask in masks]
    lightness = cv2.GaussianBlur(np.mean(first, axis=0, dtype=np.float32), (0, 0), 0.7)
    dense = int(np.argmax([mask.mean() for mask in masks]))
    guide = _dense(roots, masks[dense], lightness)
    size = 7 if max(pattern.shape) <= 2 else 11
    out = np.empty((height, width, planes), np.float32)
    for plane in range(planes):
        found = guide if plane == dense else _guided(roots, masks[plane], guide, size)
        inner = found[pad : pad + height, pad : pad + width]
        out[..., plane] = np.copysign(inner * inner, inner)
    return out
