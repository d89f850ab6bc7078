"""The messages between recorder and web server, and the local socket that carries them."""
