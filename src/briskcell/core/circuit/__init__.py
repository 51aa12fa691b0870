"""The circuit that is soldered: places with terminals, nets that join them, and every conductor from terminal to terminal."""
