"""Results as JSON, to a file or to standard output."""

import json
import sys
from pathlib import Path
from typing import Any

from gullywind.formats.file_names import shown


def write_json(document: dict[str, Any], json_to: str) -> bool:
    """Write a result to a file, `-` for standard output; False, and told why, where it could not be written."""
    text = json.dumps(document, indent=1)
    if json_to == "-":
        print(text)
        return True
    try:
        Path(json_to).write_text(text + "\n")
    except OSError as error:
        print(shown(f"gullywind: {json_to}: could not be written: {error.strerror}."), file=sys.stderr)
        return False
    return True
