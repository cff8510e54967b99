"""What the ride check looks at, a module for each subject: clearances, pace, turns, looks, smear, light, air."""
