# Simulation study of forecasts: site histories of several kinds (shifts of level with and without
# an event that tells when, months that hardly waver and months that waver wildly) and the public
# monthly series that come with R, six months ahead. Errors are those of the clicks, to the error
# of the same month of the year before within the history (of the last month under 13 months).
#   R_LIBS=.build/library Rscript bench/simulate-forecasts.R [SEEDS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
setDTthreads(1)
given <- commandArgs(TRUE)
seeds <- seq_len(if (length(given)) as.integer(given[1]) else 40)
ahead <- 6

# A level that wanders, a season of two waves, noise; and what the kind adds.
made_history <- function(kind, seed) {
  set.seed(seed)
  known <- switch(kind, short = sample(8:18, 1), `very short` = sample(4:7, 1),
    sample(c(24, 30, 36, 48), 1))
  times <- switch(kind, quiet = 0.2, wild = 3, 1)
  n <- known + ahead
  month <- seq_len(n)
  wave <- function(size, times) size * sin(2 * pi * (times * month / 12 + runif(1)))
  size <- if (kind == "season") runif(1, 0.2, 0.5) else sample(c(0, runif(1, 0.1, 0.4)), 1)
  y <-
    log(5000) + cumsum(rnorm(n, 0, 0.03 * times)) + wave(size, 1) + wave(0.4 * size, 2) +
    rnorm(n, 0, 0.05 * times)
  if (kind == "trend") y <- y + runif(1, -0.02, 0.03) * month
  at <- NULL
  if (startsWith(kind, "level shift")) {
    at <- sample(8:(known - 3), 1) + 1
    y <- y + sample(c(-1, 1), 1) * runif(1, 0.2, 0.5) * (month >= at)
  }
  if (kind == "outliers") {
    at <- sample(known, 2)
    y[at] <- y[at] + sample(c(-1, 1), 2, TRUE) * runif(2, 0.4, 0.8)
  }
  # The month of a shift that is among the events.
  list(clicks = exp(y), event = if (kind == "level shift, known") at)
}

public <- list(passengers = AirPassengers, accidents = USAccDeaths, temperatures = nottem,
  drivers = UKDriverDeaths, deaths = ldeaths, gas = window(forecast::gas, 1980),
  wine = forecast::wineind)

of_series <- function(clicks, kind, seed, event = NULL) {
  known <- length(clicks) - ahead
  month <- as.IDate(seq(as.Date("2020-01-01"), by = "month", length.out = length(clicks)))
  days <- inktide:::days_in_month(month)
  events <- if (!is.null(event)) {
    file <- tempfile(fileext = ".csv")
    writeLines(c("date,event", sprintf("%s,moved", month[event])), file)
    tide_events(file)
  }
  history <-
    tide_history(data.frame(month = month[1:known], clicks = clicks[1:known]), events = events)
  said <- tide_forecast(history, months = ahead)
  came <- clicks[known + 1:ahead]
  lag <- if (known > 13) 12 else 1
  scale <- mean(abs(diff(clicks[1:known], lag)))
  y <- log(history$months$used / days[1:known])
  paths <- inktide:::method_paths(y, ahead)
  x <- seq_along(y)
  paths <- rbind(paths, `straight line` = predict(lm(y ~ x), data.frame(x = known + 1:ahead)))
  paths <- exp(paths) * rep(days[known + 1:ahead], each = nrow(paths))
  all <- rbind(paths, weighted = said$months$baseline)
  inside <- came >= said$months$baseline_low & came <= said$months$baseline_high
  wide <- came >= said$months$baseline_low_95 & came <= said$months$baseline_high_95
  data.table(kind, seed, method = rownames(all),
    mase = rowMeans(abs(all - rep(came, each = nrow(all)))) / scale, covered = mean(inside),
    covered_95 = mean(wide))
}

site_kinds <- c("season", "trend", "level shift", "level shift, known", "outliers", "short",
  "very short", "quiet", "wild")
grid <- CJ(kind = site_kinds, seed = seeds, sorted = FALSE)
simulated <- rbindlist(parallel::mclapply(seq_len(nrow(grid)), function(i) {
  made <- made_history(grid$kind[i], grid$seed[i])
  of_series(made$clicks, grid$kind[i], grid$seed[i], made$event)
}, mc.cores = parallel::detectCores()))
# Of each public series the last months, known 60, from several ends.
windows <- rbindlist(parallel::mclapply(names(public), function(name) {
  series <- as.numeric(public[[name]])
  rbindlist(lapply(0:2, function(back) {
    end <- length(series) - 7 * back
    of_series(utils::tail(series[seq_len(end)], 60 + ahead), "public", paste(name, back))
  }))
}, mc.cores = parallel::detectCores()))
results <- rbind(simulated, windows[, "seed" := NA_integer_])
# Of methods that every history of a kind is long enough for, the best with hindsight.
sums <- results[,
  .(mase = mean(mase), n = .N, covered = mean(covered), covered_95 = mean(covered_95)),
  by = c("kind", "method")]
whole <- sums[, .SD[n == max(n)], by = "kind"]
table <- whole[, .(weighted = mase[method == "weighted"],
  best_single = min(mase[!method %in% c("weighted", "straight line")]),
  which = method[!method %in% c("weighted", "straight line")][which.min(mase[
    !method %in% c("weighted", "straight line")])],
  line = mase[method == "straight line"], covered = covered[1], covered_95 = covered_95[1]),
  by = "kind"]
table[, "ratio" := weighted / best_single]
options(width = 120)
print(table, digits = 2)
