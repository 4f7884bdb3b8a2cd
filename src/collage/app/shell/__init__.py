"""What holds the places together: the window, its menus, bar, banner and status, and the jobs that run for it."""
