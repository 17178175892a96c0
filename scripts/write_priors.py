"""Write the table of what is believed beforehand to docs/priors.md."""

from pathlib import Path

from fairmargin.core.inference import believed

HEAD = """# What is believed before any reading

Written by `make priors` from the code, each figure where it is kept ([`core/conditions/`](../src/fairmargin/core/conditions),
[`core/evidence/`](../src/fairmargin/core/evidence), [`core/inference/`](../src/fairmargin/core/inference)). *Size* is a
standard deviation around the mean. How the figures are used is in [method.md](method.md); what a result owes to them is said
by *With other priors…* in Verdict and `fairmargin analyse --sensitivity`.

"""


def page() -> str:
    """The page as it is now."""
    return HEAD + "\n".join(believed.as_markdown()) + "\n"


if __name__ == "__main__":
    (Path(__file__).parents[1] / "docs" / "priors.md").write_text(page(), encoding="utf-8")
