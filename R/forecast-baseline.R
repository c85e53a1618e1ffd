# What comes if nothing is changed: methods put together by how they did at earlier months, with
# intervals from what was missed then.

# In: one segment of a history. Out: list(path: data.table(month, mean, sd: of the log of clicks a
# day), weights by method, errors: rolling_errors() with those of the weighted forecast).
segment_baseline <- function(rows, horizon, season = NULL) {
  # What was missed earlier is looked at over as many months whatever is asked for, so that a month
  # has one forecast.
  y <- log(pmax(rows$used / days_in_month(rows$month), 1e-3))
  methods <- forecast_methods(season_from(season, rows$month[1]))
  errors <- rolling_errors(y, tried_months_ahead, as.integer(assumed("forecast_origins")),
    methods = methods)
  paths <- method_paths(y, horizon, methods)
  weights <- method_weights(errors, rownames(paths), length(y))
  own <- rolling_weighted(errors)
  sd <- horizon_sd(own, horizon, length(y))
  ahead <- months_after(max(rows$month), seq_len(horizon))
  list(path = data.table(month = ahead, mean = as.vector(weights %*% paths), sd = sd),
    weights = weights, errors = rbind(errors, own))
}

# Months ahead over which methods are tried out: half a year, as far as a plan usually looks.
tried_months_ahead <- 6L

# Months ahead at most.
most_months_ahead <- 36L

# A season by calendar month, from the first month of a series on.
season_from <- function(season, first) {
  if (is.null(season)) return(NULL)
  season[(as.POSIXlt(first)$mon + 0:11) %% 12 + 1]
}

# The season of searches: trends of 12 months by query, weighted by search volume. In: a list of
# tide_facts. Out: logs by calendar month, or NULL where no trend is known.
trend_season <- function(facts) {
  own <- Filter(function(one) one$by == "query" && !is.null(one$rows[["trend"]]), facts)
  if (!length(own)) return(NULL)
  own <- own[[length(own)]]
  values <-
    lapply(strsplit(fcoalesce(as.character(own$rows$trend), ""), " ", fixed = TRUE), as.numeric)
  volume <- own$rows[["volume"]]
  volume <- if (is.null(volume)) rep(1, length(values)) else as.numeric(volume)
  use <- which(lengths(values) >= 12 & !vapply(values, anyNA, NA) & !is.na(volume))
  if (!length(use)) return(NULL)
  shares <- vapply(values[use], function(v) {
    v <- utils::tail(v, 12)
    v / max(mean(v), 1e-9)
  }, numeric(12))
  index <- as.vector(shares %*% volume[use]) / sum(volume[use])
  if (any(index <= 0)) return(NULL)
  # The newest month is the one before the table was made.
  last <- as.POSIXlt(first_of_month(own$date) - 1L)$mon
  calendar <- (last - 11:0) %% 12 + 1
  season <- numeric(12)
  season[calendar] <- log(index) - mean(log(index))
  season
}

# Weights by the mean squared error at months known by then, to the power of minus two; equal ones
# where nothing is known. Methods that were seldom tried lean on what all of them missed.
method_weights <- function(errors, methods, known) {
  seen <- errors[errors$origin + errors$horizon <= known & errors$method %in% methods]
  if (!nrow(seen)) return(stats::setNames(rep(1 / length(methods), length(methods)), methods))
  all <- stats::median(seen$error^2)
  by <- seen[, list(n = .N, sum = sum(error^2)), by = "method"]
  at <- match(methods, by$method)
  prior <- assumed("method_prior")
  mse <- (fcoalesce(by$sum[at], 0) + prior * all) / (fcoalesce(by$n[at], 0L) + prior)
  weights <- (mse + 1e-6)^-2
  stats::setNames(weights / sum(weights), methods)
}

# Errors of the weighted forecast, as it would have been made at each origin.
rolling_weighted <- function(errors) {
  if (!nrow(errors)) return(errors)
  own <- errors[errors$method != "straight line"]
  rbindlist(lapply(split(own, own$origin), function(at) {
    weights <- method_weights(errors, unique(at$method), at$origin[1])
    at[, list(method = "weighted", error = sum(error * weights[method])),
      by = c("origin", "horizon")][, c("origin", "horizon", "method", "error")]
  }))
}

# Standard deviation of the log at each horizon: misses grow with it; few of them lean on what sites
# usually miss, more where the season is not known.
horizon_sd <- function(own, horizon, known) {
  h <- seq_len(horizon)
  growth <- function(h) 1 + assumed("forecast_widens") * (h - 1)
  prior <- assumed("forecast_prior")
  # Errors of one origin go together: they count as little more than one.
  many <- assumed("origin_counts") * length(unique(own$origin))
  # Less was known then than now.
  mean_square <- if (many) {
    assumed("forecast_learns") * mean(own$error^2 / growth(own$horizon))
  } else {
    0
  }
  usual <- if (known < 25) assumed("forecast_sd_short") else assumed("forecast_sd")
  sqrt((many * mean_square + prior * usual^2) / (many + prior) * growth(h))
}
