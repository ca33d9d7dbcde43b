# The stand-in teasel as a program: Rscript teasel.R make FOLDER
run <- getFromNamespace("run_teasel", "sprenn")
quit(status = run(commandArgs(TRUE), faults = Sys.getenv("TEASEL_FAULTS"), count = getFromNamespace("file_counter", "sprenn")(Sys.getenv("TEASEL_COUNT"))))
