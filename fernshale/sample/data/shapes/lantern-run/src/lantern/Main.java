package lantern;

import foglamps.Lamp;
import generated.Names;
import org.kiln.api.Clock;
import org.kiln.api.Light;
import tides.Tide;

/** Starts the game. */
public final class Main {
    public static void main(String[] args) {
        Clock clock = new Clock();
        Tide tide = new Tide(clock);
        Lamp lamp = new Lamp();
        lamp.glow(0.4f);
        Light light = new Light(Names.PLATES[0]);
        light.setStrength((float) tide.height());
        System.out.println("plates " + Names.PLATES.length + " light " + light.strength());
    }
}
