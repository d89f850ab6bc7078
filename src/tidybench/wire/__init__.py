"""What recorder and web server say to each other, a noun a file; `protocol` puts it together."""
