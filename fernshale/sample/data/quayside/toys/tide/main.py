import osier


def play(stage: osier.Stage) -> list[str]:
    stage.wait(385)
    stage.say("high water at " + osier.clock(stage))
    return stage.lines
