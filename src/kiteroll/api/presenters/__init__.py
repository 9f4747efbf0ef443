"""From values of the application to models of the API."""
