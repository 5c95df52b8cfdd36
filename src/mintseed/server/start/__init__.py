"""From nothing to a running application: the database, its updates, the processes, what is said of where it opens."""
