"""What everything else stands on: errors, frozen values, progress of long work, safe writing."""
