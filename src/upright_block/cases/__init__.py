"""Cases from what is written to plans."""
