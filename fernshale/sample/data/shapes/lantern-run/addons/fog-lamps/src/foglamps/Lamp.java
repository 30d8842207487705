package foglamps;

import org.kiln.api.Light;

/** A lamp that shines through fog. */
public final class Lamp {
    private final Light light = new Light("fog");

    public void glow(float strength) {
        light.setStrength(strength);
    }
}
