import osier


def play(stage: osier.Stage) -> list[str]:
    stage.wait(90)
    stage.say("the kite is up since " + osier.clock(stage))
    return stage.lines
