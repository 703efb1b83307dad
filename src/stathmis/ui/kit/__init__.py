"""What every page is made of: pages and rows, fields and choosers, and lists that live on as they change."""
