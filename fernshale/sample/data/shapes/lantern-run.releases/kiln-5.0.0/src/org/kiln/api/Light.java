package org.kiln.api;

/** A light with a brightness. */
public final class Light {
    private final String name;
    private float brightness;

    public Light(String name) {
        this.name = name;
    }

    public void setBrightness(float brightness) {
        this.brightness = brightness;
    }

    public float brightness() {
        return brightness;
    }

    public String name() {
        return name;
    }
}
