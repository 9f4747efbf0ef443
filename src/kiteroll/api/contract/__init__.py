"""What holds for every call alike: problems, parameters, preconditions, calls that are sent twice."""
