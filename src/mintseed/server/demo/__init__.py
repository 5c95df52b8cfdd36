"""The demo: Quay House, a volunteer-run tide museum with a workshop. All of it is made up."""
