"""The screens: Flask, server-rendered pages, plain JavaScript modules."""
