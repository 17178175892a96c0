"""Build the graded practice cases from their seeds: scripts/build_practice.py."""

from pathlib import Path

from fairmargin.practice.cases import FILE, Case, as_file, generated

#: Flaw, grade and seed of each case, the easy ones first. The seeds were drawn in turn; none was chosen by its result.
CASES = (
    ("none", "easy", 201), ("order drift", "easy", 202), ("two changes", "easy", 203), ("cold first leg", "easy", 204),
    ("none", "easy", 205), ("reset did not take", "easy", 206), ("coarse display", "easy", 207), ("following", "middle", 208),
    ("none", "middle", 209), ("wind", "middle", 210), ("order drift", "middle", 211), ("none", "middle", 212),
    ("reset did not take", "middle", 213), ("two changes", "middle", 214), ("none", "hard", 215), ("following", "hard", 216),
    ("wind", "hard", 217), ("cold first leg", "hard", 218), ("coarse display", "hard", 219), ("none", "hard", 220),
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
