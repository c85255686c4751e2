"""The server process: `python -m gullywind.api.serve PORT`, on loopback."""

import sys

import uvicorn

from gullywind.api.app import create_app
from gullywind.settings import Settings


def main() -> None:
    """Serve until stopped."""
    app = create_app(Settings.from_environment())
    # Watchers' streams never end by themselves: do not wait for them.
    uvicorn.run(app, host="127.0.0.1", port=int(sys.argv[1]), log_level="warning", timeout_graceful_shutdown=1)


if __name__ == "__main__":
    main()
