"""One line for each measured figure, with its goal."""


def line(name: str, value: str, goal: str) -> None:
    print(f"{name:58s} {value:>34s}   goal {goal}", flush=True)
