"""Ways out of the application that are drawn: pictures, paper, one page, an archive; and the one list of all formats."""
