import osier


def play(stage: osier.Stage) -> list[str]:
    stage.say("a rope of nine fathoms")
    return stage.lines
