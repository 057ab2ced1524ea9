"""Starting what the application consists of: its database cluster, the bench, the link, the web server."""
