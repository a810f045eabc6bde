"""Two records beside each other."""

TOLERANCE = 1e-9


def moved(before: dict[str, dict], now: dict[str, dict]) -> list[str]:
    """One line for every figure that is new, gone or off by more than 1e-9, relative above 1."""
    lines = []
    for part in now:
        old, new = before.get(part, {}), now[part]
        for path in (*new, *(path for path in old if path not in new)):
            if path not in old or path not in new:
                lines.append(f"{part}{path}: {old.get(path, 'nothing')} -> {new.get(path, 'nothing')}")
            elif path == "texts":
                if old[path] != new[path]:
                    lines.append(f"{part}: words differ")
            elif not _near(old[path], new[path]):
                lines.append(f"{part}{path}: {old[path]} -> {new[path]}")
    return lines


def _near(old, new):
    if isinstance(old, list):
        return len(old) == len(new) and all(map(_near, old, new))
    return abs(old - new) <= TOLERANCE * max(1.0, abs(old))
