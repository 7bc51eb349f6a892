"""What moves in each strip, note by note, and on the loudest bars."""
