"""Scalar building blocks of our own kernels: unchecked table reads, scratch on the stack, and fast roots and logarithms.

All of it inlines into numba kernels in a form that LLVM vectorises: no calls into the mathematics library, 32-bit indices.
"""

import importlib
import math
import sys
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.core import cgutils
from numba.extending import intrinsic

_BLAS = "scipy.linalg.cython_blas"


def _without_blas() -> None:
    """Loads numba's array functions without letting them look for a BLAS: that loads half of scipy, half a second in every new
    process, for matrix products that none of our kernels takes (numba.np.arraymath asks once, when it is loaded)."""
    if _BLAS in sys.modules or "numba.np.arraymath" in sys.modules:
        return
    sys.modules[_BLAS] = None  # type: ignore[assignment]  # an import of it fails at once
    try:
        importlib.import_module("numba.np.arraymath")
    finally:
        del sys.modules[_BLAS]


_without_blas()

BLOCK = 128
"""Pixels of a row that a kernel holds on the stack at a time."""

INLINE = {"fastmath": True, "error_model": "numpy", "inline": "always"}
KERNEL = {"parallel": True, "fastmath": True, "nogil": True, "cache": True, "error_model": "numpy"}


def _blocks_on_the_stack(rows: int) -> Any:
    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        block = cgutils.alloca_once(builder, ir.ArrayType(ir.FloatType(), BLOCK * rows))
        return builder.bitcast(block, ir.FloatType().as_pointer())

    return types.CPointer(types.float32)(), codegen


@intrinsic
def stack_floats(typing_context: Any) -> Any:
    """Pointer to 3 x BLOCK float32 on the stack: no aliasing, so that loops over it vectorise."""
    return _blocks_on_the_stack(3)


@intrinsic
def stack_eight(typing_context: Any) -> Any:
    """The same of 8 x BLOCK."""
    return _blocks_on_the_stack(8)


@intrinsic
def floats_at(typing_context: Any, address: Any) -> Any:
    """Pointer to the float32 at an address: kernels that take any number of arrays get their addresses."""

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.inttoptr(arguments[0], ir.FloatType().as_pointer())

    return types.CPointer(types.float32)(types.int64), codegen


@intrinsic
def float_pointer(typing_context: Any, table: Any, index: Any) -> Any:
    """Pointer to the float32 at a flat index of a C-contiguous array: loops over it vectorise, since no index may be one that
    counts from the end. No index is checked."""
    if table.layout != "C":
        return None

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        struct = context.make_array(signature.args[0])(context, builder, arguments[0])
        return builder.gep(struct.data, [arguments[1]])

    return types.CPointer(types.float32)(table, types.int64), codegen


@intrinsic
def load(typing_context: Any, table: Any, index: Any) -> Any:
    """table[index] without a bounds check: the vectoriser turns it into a gather. Flat index into a C-contiguous array."""

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        struct = context.make_array(signature.args[0])(context, builder, arguments[0])
        return builder.load(builder.gep(struct.data, [arguments[1]]))

    return types.float32(table, types.int32), codegen


@intrinsic
def bits_of(typing_context: Any, value: Any) -> Any:
    """The 32 bits of a float32 as an int32."""

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.bitcast(arguments[0], ir.IntType(32))

    return types.int32(types.float32), codegen


@intrinsic
def float_of(typing_context: Any, bits: Any) -> Any:
    """The float32 that an int32's bits stand for."""

    def codegen(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.bitcast(arguments[0], ir.FloatType())

    return types.float32(types.int32), codegen


@njit(**INLINE)
def read(table, u, last):
    """Linear interpolation at u in table steps, 0 <= u; values beyond ``last`` read the guard value there."""
    u = min(u, last)
    i = min(max(np.int32(u), np.int32(0)), np.int32(last))
    f = u - np.float32(i)
    a = load(table, i)
    return a + (load(table, np.int32(i + np.int32(1))) - a) * f


@njit(**INLINE)
def smoothstep(t):
    """0 below 0, 1 above 1, level at both ends: 3 t^2 - 2 t^3."""
    t = min(max(t, np.float32(0)), np.float32(1))
    return t * t * (np.float32(3) - t - t)


@njit(**INLINE)
def cube_root(x):
    """Cube root of x >= 0: a guess from the exponent and two steps of Halley's method; relative error below 3e-7."""
    y = float_of(np.int32(np.int32(np.float32(bits_of(x)) * np.float32(1 / 3.0)) + np.int32(709958130)))
    y3 = y * y * y
    y = y * (y3 + x + x) / (y3 + y3 + x + np.float32(1e-30))
    y3 = y * y * y
    return y * (y3 + x + x) / (y3 + y3 + x + np.float32(1e-30))


@njit(**INLINE)
def log_2(x):
    """Binary logarithm of a normal x > 0, absolute error below 4e-6: exponent, and atanh series of the mantissa about 1."""
    i = bits_of(x)
    # mantissa brought to 0.7071..1.4142 so that the series is short
    e = np.int32((i - np.int32(0x3F3504F3)) >> np.int32(23))
    m = float_of(np.int32(i - (e << np.int32(23))))
    t = (m - np.float32(1)) / (m + np.float32(1))
    s = t * t
    p = ((np.float32(0.4121987) * s + np.float32(0.5770780)) * s + np.float32(0.9617967)) * s + np.float32(2.8853901)
    return np.float32(e) + t * p


@njit(**INLINE)
def exp_2(x):
    """2**x for -120 <= x <= 120, relative error below 3e-6 (clamped outside)."""
    x = min(max(x, np.float32(-120)), np.float32(120))
    n = np.int32(math.floor(x + np.float32(0.5)))
    f = x - np.float32(n)
    p = ((np.float32(0.0013398874) * f + np.float32(0.0096178855)) * f + np.float32(0.0555033022)) * f
    p = ((p + np.float32(0.2402264791)) * f + np.float32(0.6931471825)) * f + np.float32(1)
    return p * float_of(np.int32((n + np.int32(127)) << np.int32(23)))


@njit(**INLINE)
def srgb_encoded(v):
    """Linear 0..1 -> sRGB, error below 0.12 / 65535 in float32: two square roots and a sixth-degree Chebyshev fit."""
    s = math.sqrt(math.sqrt(v))
    p = np.float32(0.06487499098238242) * s + np.float32(-0.3060445671181708)
    p = p * s + np.float32(0.6387830187638993)
    p = p * s + np.float32(-0.8389775733653478)
    p = p * s + np.float32(1.3602314670458018)
    p = p * s + np.float32(0.14077536044904299)
    p = p * s + np.float32(-0.05964161508613752)
    # the clamp stands after the polynomial: it may pass 1 by a unit in the last place and wrap the integer
    return np.float32(12.92) * v if v < np.float32(0.0031308) else min(p, np.float32(1))


@njit(**INLINE)
def srgb_decoded(v):
    """sRGB 0..1 -> linear, relative error below 1e-6 in float32: u^2.4 is u^2 times a seventh-degree fit of s^0.8, s the root of
    u (least largest relative error, by Lawson's weights)."""
    u = (v + np.float32(0.055)) * np.float32(1 / 1.055)
    s = math.sqrt(u)
    p = np.float32(0.15603502094745636) * s + np.float32(-0.8166126012802124)
    p = p * s + np.float32(1.859276533126831)
    p = p * s + np.float32(-2.4343578815460205)
    p = p * s + np.float32(2.0673022270202637)
    p = p * s + np.float32(-1.2940359115600586)
    p = p * s + np.float32(1.4347249269485474)
    p = p * s + np.float32(0.02766817808151245)
    return v * np.float32(1 / 12.92) if v <= np.float32(0.04045) else min(u * u * p, np.float32(1))


@njit(**INLINE)
def position_noise(x, y, channel):
    """Repeatable noise of a picture position, -0.5 to 0.5 (integer hash with good avalanche)."""
    # every step is cut back to 32 bits: numba widens unsigned products to 64
    h = np.uint32(np.uint32(x) * np.uint32(0x9E3779B1))
    h = np.uint32(h + np.uint32(np.uint32(y) * np.uint32(0x85EBCA77)))
    h = np.uint32(h + np.uint32(np.uint32(channel) * np.uint32(0xC2B2AE3D)))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(15)))
    h = np.uint32(h * np.uint32(0x2C1B3C6D))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(12)))
    h = np.uint32(h * np.uint32(0x297A2D39))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(15)))
    return np.float32(np.int32(np.uint32(h >> np.uint32(8)))) * np.float32(1.0 / 16777216.0) - np.float32(0.5)
