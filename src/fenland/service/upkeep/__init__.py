"""What whoever runs a service does with its database as a whole: migrating, copies, and checking records."""
