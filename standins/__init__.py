"""Small render engines that trace light for real: programs of their own, called only by command line."""
