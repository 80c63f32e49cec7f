"""Partition and anchor tables of BC7. Source: Khronos Data Format Specification 1.3, section 20.1 (tables of
BPTC).
"""

from __future__ import annotations

import numpy as np

_TWO = """cccc 8888 eeee ecc8 c880 feec fec8 ec80 c800 ffec fe80 e800 ffe8 ff00 fff0 f000 f710 008e 7100 08ce 008c 7310 3100 8cce
088c 3110 6666 366c 17e8 0ff0 718e 399c aaaa f0f0 5a5a 33cc 3c3c 55aa 9696 a55a 73ce 13c8 324c 3bdc 6996 c33c 9966 0660 0272
04e4 4e40 2720 c936 936c 39c6 639c 9336 9cc6 817e e718 ccf0 0fcc 7744 ee22"""
_THREE = """aa685050 6a5a5040 5a5a4200 5450a0a8 a5a50000 a0a05050 5555a0a0 5a5a5050 aa550000 aa555500 aaaa5500 90909090 94949494
a4a4a4a4 a9a59450 2a0a4250 a5945040 0a425054 a5a5a500 55a0a0a0 a8a85454 6a6a4040 a4a45000 1a1a0500 0050a4a4 aaa59090 14696914
69691400 a08585a0 aa821414 50a4a450 6a5a0200 a9a58000 5090a0a8 a8a09050 24242424 00aa5500 24924924 24499224 50a50a50 500aa550
aaaa4444 66660000 a5a0a5a0 50a050a0 69286928 44aaaa44 66666600 aa444444 54a854a8 95809580 96969600 a85454a8 80959580 aa141414
96960000 aaaa1414 a05050a0 a0a5a5a0 96000000 40804080 a9a8a9a8 aaaaaa44 2a4a5254"""
_SECOND_OF_TWO = """f f f f f f f f f f f f f f f f f 2 8 2 2 8 8 f 2 8 2 2 8 8 2 2 f f 6 8 2 8 f f 2 8 2 2 2 f f 6 6 2 6 8 f f 2 2
f f f f f 2 2 f"""
_SECOND_OF_THREE = """3 3 f f 8 3 f f 8 8 6 6 6 5 3 3 3 3 8 f 3 3 6 a 5 8 8 6 8 5 f f 8 f 3 5 6 a 8 f f 3 f 5 f f f f 3 f 5 5 5 8 5 a
5 a 8 d f c 3 3"""
_THIRD_OF_THREE = """f 8 8 3 f f 3 8 f f f f f f f 8 f 8 f 3 f 8 f 8 3 f 6 a f f a 8 f 3 f a a 8 9 a 6 f 8 f 3 6 6 8 f 3 f f f f f f
f f f f 3 f f 8"""


def _numbers(text: str) -> list[int]:
    return [int(word, 16) for word in text.split()]


def _subsets() -> np.ndarray:
    out = np.zeros((4, 64, 16), np.intp)
    k = np.arange(16)
    out[2] = np.array(_numbers(_TWO))[:, None] >> k & 1
    out[3] = np.array(_numbers(_THREE))[:, None] >> (2 * k) & 3
    return out


def _anchors() -> np.ndarray:
    out = np.zeros((4, 64, 16), bool)
    out[:, :, 0] = True
    rows = np.arange(64)
    out[2, rows, _numbers(_SECOND_OF_TWO)] = True
    out[3, rows, _numbers(_SECOND_OF_THREE)] = True
    out[3, rows, _numbers(_THIRD_OF_THREE)] = True
    return out


SUBSETS = _subsets()
"""(4, 64, 16): the subset of each pixel, by count of subsets and partition."""
ANCHORS = _anchors()
"""(4, 64, 16): True where a pixel's index has one bit less."""
WEIGHTS = {
    2: np.array([0, 21, 43, 64], np.int32),
    3: np.array([0, 9, 18, 27, 37, 46, 55, 64], np.int32),
    4: np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64], np.int32),
}
"""Interpolation weights in 64ths, by bits of the index."""
