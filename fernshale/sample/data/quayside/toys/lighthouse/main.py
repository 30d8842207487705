import osier


def play(stage: osier.Stage) -> list[str]:
    lamps = [stage.lamp(colour) for colour in ("white", "red")]
    for lamp in lamps:
        stage.say("turns " + lamp.colour)
        stage.wait(2)
    return stage.lines
