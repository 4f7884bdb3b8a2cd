from collage.cli import main

main()
