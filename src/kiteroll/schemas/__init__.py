"""Models of the API and of the reading document, shared by the service and the client."""
