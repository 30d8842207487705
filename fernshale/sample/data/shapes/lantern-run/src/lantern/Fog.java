package lantern;

import org.kiln.api.Light;

/** Fog that dims a light. */
final class Fog {
    void dim(Light light) {
        light.setStrength(light.strength() / 2);
    }
}
