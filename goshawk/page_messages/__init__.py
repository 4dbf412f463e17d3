"""The messages between the page and the server, by task; ``live`` has them all."""
