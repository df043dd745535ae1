"""An independent oracle: the same random program in Structured Text and in C."""
