"""Tables that change with the definitions or the service: obstacles, moves, older layouts."""
