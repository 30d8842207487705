import osier


def play(stage: osier.Stage) -> list[str]:
    osier.beat(stage, 1)
    stage.say("eels, fresh at " + osier.clock(stage))
    return stage.lines
