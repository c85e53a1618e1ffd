# The floor: a process that loads data.table and reads the file.
library(data.table)
rows <- fread(commandArgs(TRUE)[1], showProgress = FALSE)
cat(format(as.numeric(utils::object.size(rows)) / 2^20))
