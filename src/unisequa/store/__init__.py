"""Tables, the engine under them, and the queries over them."""
