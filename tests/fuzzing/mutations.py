"""Seeded harm: to JSON by its structure, to any file by its bytes."""

import copy
import json
import os
import random

ROUNDS = int(os.environ.get("FUZZ_ROUNDS", "0"))
"""How many seeds `make fuzz` tries of each kind; 0 in ordinary runs, which try a few fixed ones."""

HOSTILE = (
    *(None, True, 0, -1, 1, 7, 2**31, 2**63, -(2**63), 10**400, 0.5, -0.0, 1e-300, 1e308, 3e9, 86_400.0),
    *("", "\0", "a\0b", "../../x", "/etc/passwd", "/dev/zero", "x" * 70_000, "<img src=/x>", "1/0"),
    *("1e-400", "1/1000000000", "1e99999999", "30000/1001", "240", "beats", "flash", "\ud800", "é" * 300),
    *([], {}, [[]], [0] * 50, [[0, 0, 0, 0]] * 40, {"type": "blend"}, {"type": "tempo", "tempo": 400}),
)


def seeds(few):
    """Return the seeds to try: a few that are always the same, or many new ones."""
    if not ROUNDS:
        return range(few)
    start = random.SystemRandom().randrange(1 << 40)
    return range(start, start + ROUNDS)


def mutated_json(text, seed):
    """Return JSON with up to four places harmed; by every third seed mildly, so that it may still be read."""
    chance = random.Random(seed)
    raw = json.loads(text)
    places = list(_places(raw))
    harm = _exchange_alike if seed % 3 == 0 else _harm
    for _ in range(chance.randint(1, 4)):
        try:
            harm(chance, places, *chance.choice(places))
        except (KeyError, IndexError):  # gone by an earlier change
            continue
    return json.dumps(raw).encode(errors="surrogatepass")


def _harm(chance, places, holder, key):
    """Let a place hold something hostile, nothing, itself twice, or what any other place has."""
    kind = chance.randrange(6)
    if kind < 3:
        holder[key] = copy.deepcopy(chance.choice(HOSTILE))
    elif kind == 3:
        del holder[key]
    elif kind == 4 and isinstance(holder, list):
        holder.insert(key, copy.deepcopy(holder[key]))
    else:
        other, name = chance.choice(places)
        holder[key] = copy.deepcopy(other[name])


def _exchange_alike(chance, places, holder, key):
    """Let a place hold what another one of its name and type has."""
    alike = [other[key] for other, name in places if name == key and type(other[key]) is type(holder[key])]
    holder[key] = copy.deepcopy(chance.choice(alike))


def mutated_bytes(content, seed):
    """Return content with bits turned, cut off, repeated, exchanged for zeros or noise."""
    chance = random.Random(seed)
    made = bytearray(content)
    for _ in range(chance.randint(1, 6)):
        at, length = chance.randrange(max(len(made), 1)), chance.choice((1, 2, 4, 64, 1024))
        kind = chance.randrange(6)
        if kind == 0 and made:
            made[at] ^= 1 << chance.randrange(8)
        elif kind == 1:
            made[at : at + length] = bytes(length)
        elif kind == 2:
            made[at : at + length] = chance.randbytes(length)
        elif kind == 3:
            made[at:at] = made[at : at + length]
        elif kind == 4:
            del made[at : at + length]
        elif chance.random() < 0.3:
            del made[at:]
    return bytes(made)


def _places(raw):
    """Yield every place of a JSON value, as what holds it and under which key; of long lists some."""
    keys = list(raw) if isinstance(raw, dict) else list(range(len(raw)))
    for key in keys if len(keys) < 40 else keys[:12] + keys[-4:]:
        yield raw, key
        if isinstance(raw[key], dict | list):
            yield from _places(raw[key])
