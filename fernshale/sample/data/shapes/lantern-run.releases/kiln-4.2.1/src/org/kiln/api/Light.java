package org.kiln.api;

/** A light with a strength. */
public final class Light {
    private final String name;
    private float strength;

    public Light(String name) {
        this.name = name;
    }

    public void setStrength(float strength) {
        this.strength = strength;
    }

    public float strength() {
        return strength;
    }

    public String name() {
        return name;
    }
}
