"""The web server: pages, API, live socket, and the clerk that writes the records.

It owns nothing it cannot lose: ports and run folders are the recorder's.
"""
