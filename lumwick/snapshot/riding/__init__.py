"""What the ride check looks at, a module for each subject: clearances, pace, turns, what is looked at, smear, light, air."""
