# The comparison of tests/bench/compare-readers: the same sums with data.table's fread on two threads.
suppressPackageStartupMessages(library(data.table))
setDTthreads(2)
d <- fread(commandArgs(TRUE)[1], showProgress = FALSE)
n <- nrow(d)
dt <- d[[1]][-1] - d[[1]][-n]
p <- d[[2]] * d[[3]]
cat("charge_Ah", sum((d[[3]][-1] + d[[3]][-n]) / 2 * dt) / 3600, "energy_Wh", sum((p[-1] + p[-n]) / 2 * dt) / 3600, "\n")
