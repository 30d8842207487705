import osier


def play(stage: osier.Stage) -> list[str]:
    lamp = stage.lamp("amber")
    lamp.switch()
    stage.say("a lantern, " + lamp.colour)
    return stage.lines
