"""The trees that are relocated, the same each time."""
import os, random

MEGABYTES = {"A": 3_000, "B": 5_000, "C": 4_500, "M": 7_000}
USUAL = ["A", "B", "C"]  # M is for the memory that a million files take: bench/run M --only --dry --rounds 1


def make(tree, folder):
    """Makes a tree; returns its number of files and bytes."""
    chance = random.Random(tree)
    noise = os.urandom(1 << 24)
    sizes = {
        "A": lambda: [chance.randint(512, 8_192) for _ in range(200_000)],
        "B": lambda: [1 << 30] * 4,
        "C": lambda: lognormal(chance, 20_000, 3_000_000_000),
        "M": lambda: [chance.randint(64, 512) for _ in range(1_000_000)],
    }[tree]()
    per_folder = 100 if len(sizes) > 100 else len(sizes)
    for i, size in enumerate(sizes):
        inner = os.path.join(folder, f"year-{i // (per_folder * 20):03}", f"plot-{i // per_folder:05}")
        if i % per_folder == 0: os.makedirs(inner)
        with open(os.path.join(inner, f"count-{i:06}.dat"), "wb") as file:
            left = size
            while left:
                start = chance.randrange(len(noise) // 2)
                piece = noise[start:start + min(left, len(noise) // 2)]
                file.write(piece)
                left -= len(piece)
    return len(sizes), sum(sizes)


def lognormal(chance, count, total):
    raw = [chance.lognormvariate(0, 1.5) for _ in range(count)]
    return [max(1, int(r * total / sum_raw)) for sum_raw in [sum(raw)] for r in raw]
