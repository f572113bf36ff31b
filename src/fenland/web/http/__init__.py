"""HTTP itself: what a route is, how a request is read and answered. No topic of the API stands here."""
