"""Distinct corners: rows of (place, UV, normal) told apart by a chain at each place, in the order they
appear.
"""

from __future__ import annotations

from numba import njit, types

NUMBERS = types.Array(types.int32, 1, "C", readonly=True)
I32 = types.Array(types.int32, 1, "C")
U32 = types.Array(types.uint32, 1, "C")
MOST = 64
"""Different corners at one place before the numpy way is quicker: a vertex seldom has more than a few."""


@njit(types.int64(NUMBERS, NUMBERS, NUMBERS, I32, I32, I32, U32), cache=True, nogil=True)
def distinct(places, a, b, heads, follows, first, inverse):
    """The first row of each distinct (places, a, b) into `first` and the number of each row's into `inverse`
    (N,).

    `heads` holds −1 for every place there may be; `follows` and `first` hold N. Returns how many there are,
    or −1 where one place has more than MOST.
    """
    found = 0
    for row in range(len(places)):
        place = places[row]
        at, steps = heads[place], 0
        while at >= 0 and (a[first[at]] != a[row] or b[first[at]] != b[row]):
            at = follows[at]
            steps += 1
        if steps > MOST:
            return -1
        if at < 0:
            at = found
            first[at], follows[at], heads[place] = row, heads[place], at
            found += 1
        inverse[row] = at
    return found
