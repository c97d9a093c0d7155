"""The rules and the computation of comparing renders. Knows no framework, server, database or screen."""
