"""Osier: a stage, some lamps and a drum, for tiny programs."""

from __future__ import annotations

RELEASE = "2.0"


class Lamp:
    """A lamp with a colour."""

    def __init__(self, colour: str) -> None:
        self._colour = colour
        self.lit = False

    def colour(self) -> str:
        return self._colour

    def switch(self) -> None:
        self.lit = not self.lit


class Stage:
    """What a toy plays on."""

    def __init__(self) -> None:
        self.minute = 0
        self.lines: list[str] = []

    def say(self, text: str) -> None:
        self.lines.append(text)

    def pause(self, minutes: int) -> None:
        self.minute += minutes

    def lamp(self, colour: str) -> Lamp:
        return Lamp(colour)


def drum(stage: Stage, count: int) -> None:
    """Beats the drum."""
    for _ in range(count):
        stage.say("dum")


def clock(stage: Stage) -> str:
    return f"{stage.minute // 60:02}:{stage.minute % 60:02}"
