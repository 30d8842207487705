package tides;

import org.kiln.api.Clock;

/** The height of the water. */
public final class Tide {
    private final Clock clock;

    public Tide(Clock clock) {
        this.clock = clock;
    }

    public double height() {
        return Math.sin(clock.seconds() / 90.0);
    }
}
