import osier


def play(stage: osier.Stage) -> list[str]:
    for pier in ("Salt Stairs", "Rope Walk"):
        stage.wait(20)
        stage.say(osier.clock(stage) + " " + pier)
    return stage.lines
