import osier


def play(stage: osier.Stage) -> list[str]:
    osier.beat(stage, 3)
    stage.wait(5)
    stage.say("bows at " + osier.clock(stage))
    return stage.lines
