"""What the editor should know of a file itself, in words: cut off, damaged, late, with holes."""

from gullywind.core.ground.words import Note, clock_time, seconds
from gullywind.core.sound.facts import Gap, GapKind, MediaFacts

_WORDS = {
    GapKind.HOLE: ("hole", "Leaves out {what}"),
    GapKind.DAMAGE: ("damaged", "Damaged: {what} cannot be read"),
}


def file_notes(facts: MediaFacts) -> tuple[Note, ...]:
    """Where a file holds less than it should; silence keeps the time of the rest."""
    notes = [Note("truncated", "Ends before its header says; what is there was used.")] if facts.truncated else []
    late = sum(gap.duration_s for gap in facts.gaps if gap.kind is GapKind.LATE)
    if late:
        notes.append(Note("late-sound", f"Its sound begins {seconds(late)} after the file does; silence fills it."))
    for kind, (code, words) in _WORDS.items():
        of_kind = [gap for gap in facts.gaps if gap.kind is kind]
        if of_kind:
            told = words.format(what=_where(of_kind))
            notes.append(Note(code, f"{told}; silence keeps the time."))
    return tuple(notes)


def clipped_notes(samples: int) -> tuple[Note, ...]:
    """What was lost where sound above full scale was written as whole numbers."""
    if not samples:
        return ()
    return (Note("clipped", f"{samples} samples above full scale were clipped in the file; float keeps them."),)


def failed_by_itself(error: Exception) -> Note:
    """What is told where the program itself did not cope with a file: it is that file's failure, the rest goes on."""
    return Note("unreadable", f"The program did not cope with it ({type(error).__name__}); the file may be damaged.")


def lost_note() -> Note:
    """What is told of a file that ended the process that read it."""
    why = "it is damaged in a way that nothing copes with, or memory ran out."
    return Note("unreadable", f"Reading it ended the program that read it: {why}")


def _where(gaps: list[Gap]) -> str:
    first, total_s = gaps[0], sum(gap.duration_s for gap in gaps)
    if len(gaps) == 1:
        return f"{seconds(first.duration_s)} at {clock_time(first.start_s)}"
    return f"{seconds(total_s)} in {len(gaps)} places, the first at {clock_time(first.start_s)}"
