"""Build the graded practice cases from their seeds: scripts/build_practice.py."""

from pathlib import Path

from fairmargin.practice.cases import FILE, Case, as_file, generated

#: Flaw, grade and seed of each case, the easy ones first. The seeds were drawn in turn; none was chosen by its result.
CASES = (
    ("none", "easy", 101), ("order drift", "easy", 102), ("coarse display", "easy", 103), ("two changes", "easy", 104),
    ("following", "easy", 105), ("cold first leg", "easy", 106), ("wind", "easy", 107), ("reset did not take", "middle", 108),
    ("none", "middle", 109), ("following", "middle", 110), ("two changes", "middle", 111), ("order drift", "middle", 112),
    ("coarse display", "middle", 113), ("wind", "middle", 114), ("cold first leg", "middle", 115), ("none", "hard", 116),
    ("following", "hard", 117), ("reset did not take", "hard", 118), ("two changes", "hard", 119), ("none", "hard", 120),
)  # fmt: skip


def build() -> list[Case]:
    """Make every case, numbered."""
    made = []
    for i, (flaw, grade, seed) in enumerate(CASES, start=1):
        case = generated(seed, flaw, grade)
        made.append(Case(f"case-{i:02d}", case.grade, case.study, case.solution))
    return made


if __name__ == "__main__":
    path = Path(__file__).parents[1] / "src" / "fairmargin" / "practice" / FILE
    path.write_text(as_file(build()), encoding="utf-8")
    print(f"{path}: {len(CASES)} cases, {path.stat().st_size / 1024:.0f} KiB")
