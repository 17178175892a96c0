"""Write docs/study.schema.json from the code (`make schema`)."""

import json
from pathlib import Path

from fairmargin.core.study import Study


def schema() -> str:
    """JSON Schema of study.json and of the rows of the tables."""
    return json.dumps(Study.model_json_schema(by_alias=True), indent=2, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    target = Path(__file__).parent.parent / "docs" / "study.schema.json"
    target.parent.mkdir(exist_ok=True)
    target.write_text(schema(), encoding="utf-8")
