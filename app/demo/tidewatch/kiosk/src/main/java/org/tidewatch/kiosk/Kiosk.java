package org.tidewatch.kiosk;

/** The screen beside the lagoon. */
public final class Kiosk {
    private Kiosk() {}

    public static void main(String[] arguments) {
        System.out.println("Next high water at the north jetty: 14:20");
    }
}
