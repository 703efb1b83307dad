"""What follows from a book, each found once for as long as what it rests on stands: nothing here edits."""
