"""Osier: a stage, some lamps and a drum, for tiny programs."""

from __future__ import annotations

RELEASE = "1.7"


class Lamp:
    """A lamp with a colour."""

    def __init__(self, colour: str) -> None:
        self.colour = colour
        self.lit = False

    def switch(self) -> None:
        self.lit = not self.lit


class Stage:
    """What a toy plays on."""

    def __init__(self) -> None:
        self.minute = 0
        self.lines: list[str] = []

    def say(self, text: str) -> None:
        self.lines.append(text)

    def wait(self, minutes: int) -> None:
        self.minute += minutes

    def lamp(self, colour: str) -> Lamp:
        return Lamp(colour)


def beat(stage: Stage, count: int) -> None:
    """Beats the drum."""
    for _ in range(count):
        stage.say("dum")


def clock(stage: Stage) -> str:
    return f"{stage.minute // 60:02}:{stage.minute % 60:02}"
