"""What is done to things: planning, copies, writing, power, looks, taking off; the jobs and the agent of a bench."""
