"""Write the API's OpenAPI document, from which the interface's types are generated."""

import json
import sys
from pathlib import Path

from gullywind.api.app import create_app

OUTPUT = Path(__file__).resolve().parent.parent / "docs" / "openapi.json"


def document() -> str:
    """The document as it is kept."""
    return json.dumps(create_app(None).openapi(), indent=1) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        if OUTPUT.read_text() != document():
            sys.exit("docs/openapi.json is not the server's document any more: run `make types`")
    else:
        OUTPUT.write_text(document())
