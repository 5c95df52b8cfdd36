"""Mint Seed: from an appliance image to the appliance's open web page, one line of eight stations."""
