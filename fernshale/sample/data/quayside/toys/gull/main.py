import osier


def play(stage: osier.Stage) -> list[str]:
    stage.say("kraa")
    stage.wait(1)
    stage.say("kraa, " + osier.clock(stage))
    return stage.lines
