import osier


def play(stage: osier.Stage) -> list[str]:
    lamp = stage.lamp("green")
    stage.say("fair" if lamp.colour == "green" else "foul")
    return stage.lines
