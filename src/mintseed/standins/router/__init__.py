"""The simulated router: its air, its leases (as dnsmasq writes them) and its neighbours (as `ip neigh` prints them)."""
