package org.kiln.api;

/** The time of the game. */
public final class Clock {
    public double seconds() {
        return System.nanoTime() / 1e9;
    }
}
