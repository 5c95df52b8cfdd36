"""The HTTP interface, one router a station. Views translate between JSON and use cases, nothing more."""
