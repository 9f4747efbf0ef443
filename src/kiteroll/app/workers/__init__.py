"""What runs beside the polling, each worker with just the collaborators it uses."""
