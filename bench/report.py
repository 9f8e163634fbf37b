"""The table and the plot of what was measured."""
import platform, statistics, subprocess
from pathlib import Path

GOALS = [  # tree, numerator, denominator, what the denominator is called, goal
    ("A", "furlough", "copy", "cp -a; sync", 0.70), ("B", "furlough", "copy", "cp -a; sync", 1.70), ("C", "furlough", "copy", "cp -a; sync", 1.10),
    ("A", "furlough", "compared", "cp -a; sync; diff -r", 0.35), ("B", "furlough", "compared", "cp -a; sync; diff -r", 0.80), ("C", "furlough", "compared", "cp -a; sync; diff -r", 0.45),
    ("A", "discard", "rm", "rm -rf; sync", 0.75),
]
MARK = "<!-- measured -->"


def median(runs): return statistics.median(r["seconds"] for r in runs)


def rows(results):
    found = {r["tree"]: r for r in results}
    for tree, what, against, name, goal in GOALS:
        runs = found.get(tree, {}).get("runs", {})
        if not runs.get(what) or not runs.get(against): continue
        ratios = [a["seconds"] / b["seconds"] for a, b in zip(runs[what], runs[against])]
        yield tree, "relocation" if what == "furlough" else what, median(runs[what]), name, median(runs[against]), median(runs[what]) / median(runs[against]), min(ratios), max(ratios), goal


def table(results):
    lines = ["| tree | furlough | seconds | against | seconds | ratio | range | goal | |", "|---|---|---:|---|---:|---:|---|---:|---|"]
    for tree, what, seconds, name, other, ratio, low, high, goal in rows(results):
        lines.append(f"| {tree} | {what} | {seconds:.2f} | `{name}` | {other:.2f} | {ratio:.2f} | {low:.2f} to {high:.2f} | {goal:.2f} | {'reached' if ratio <= goal else 'not reached'} |")
    lines += ["", "| tree | files | data | read back from the target's device | allocated there | most memory of the agent |", "|---|---:|---:|---:|---:|---:|"]
    for r in results:
        last = r["runs"]["furlough"][-1]
        lines.append(f"| {r['tree']} | {r['files']:,} | {r['bytes'] / 1e9:.2f} GB | {last['read'] / 1e9:.2f} GB | {last['allocated'] / 1e9:.2f} GB | {r['peakMegabytes']} MB |")
    return "\n".join(lines)


def machine():
    model = next((l.split(":", 1)[1].strip() for l in Path("/proc/cpuinfo").read_text().splitlines() if l.startswith("model name")), "unknown")
    count = subprocess.run(["nproc"], capture_output=True, text=True).stdout.strip()
    memory = int(Path("/proc/meminfo").read_text().split()[1]) / 1e6
    return f"{model}, {count} processors, {memory:.0f} GB of memory, Linux {platform.release()}; source and target ext4 on loop devices with direct I/O on one virtual disk."


def plot(results):
    """Bars of the ratios with their goals, as SVG that reads in light and dark."""
    found = list(rows(results))
    height, left = 40 + 34 * len(found), 290
    scale = 420 / max(max(high, goal) for *_, high, goal in found)
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 860 {height + 40}" font-family="sans-serif" font-size="13">',
           f'<rect width="860" height="{height + 40}" fill="#fbf9f4"/><text x="16" y="22" fill="#22252b">Time of a relocation as a share of the time of plain copying (median; line: goal; whisker: range)</text>']
    for i, (tree, what, seconds, name, other, ratio, low, high, goal) in enumerate(found):
        y = 44 + 34 * i
        out.append(f'<text x="{left - 10}" y="{y + 14}" text-anchor="end" fill="#22252b">{tree}: {what} / {name}</text>')
        out.append(f'<rect x="{left}" y="{y}" width="{ratio * scale:.0f}" height="18" fill="#3f6b7d"/>')
        out.append(f'<path d="M{left + low * scale:.0f} {y + 9}H{left + high * scale:.0f}" stroke="#22252b"/><path d="M{left + goal * scale:.0f} {y - 4}v26" stroke="#b0541e" stroke-width="3"/>')
        out.append(f'<text x="{left + 430}" y="{y + 14}" fill="#22252b">{ratio:.2f} (goal {goal:.2f})</text>')
    out.append(f'<path d="M{left} {height + 2}H840" stroke="#22252b"/>')
    out += [f'<text x="{left + v * scale:.0f}" y="{height + 20}" text-anchor="middle" fill="#22252b">{v:.1f}</text>' for v in (0, 0.5, 1, 1.5, 2, 2.5, 3) if v * scale <= 425]
    out.append("</svg>")
    return "\n".join(out)


def write(results, docs, rounds):
    page = docs / "performance.md"
    head, _, rest = page.read_text().partition(MARK)
    _, _, tail = rest.partition(MARK)
    body = f"\n\nMeasured by `make bench`: medians of {rounds} interleaved rounds on {machine()}\n\n{table(results)}\n\n![Ratios](performance.svg)\n\n"
    page.write_text(head + MARK + body + MARK + tail)
    (docs / "performance.svg").write_text(plot(results))
