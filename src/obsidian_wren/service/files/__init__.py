"""The job on files, without a data folder: what the command line does with real takes."""
