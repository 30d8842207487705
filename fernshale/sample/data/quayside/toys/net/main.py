import osier


def play(stage: osier.Stage) -> list[str]:
    for knot in range(3):
        stage.wait(1)
        stage.say(f"knot {knot + 1}")
    return stage.lines
