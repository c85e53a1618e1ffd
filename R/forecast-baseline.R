# What comes if nothing is changed: methods put together by how they did at earlier months, with
# intervals from what was missed then.

# In: one segment of a history. Out: list(path: data.table(month, mean, sd: of the log of clicks a
# day), weights by method, errors: rolling_errors() with those of the weighted forecast).
segment_baseline <- function(rows, horizon, season = NULL) {
  # What was missed earlier is looked at over as many months whatever is asked for, so that a month
  # has one forecast.
  y <- log(pmax(rows$used / days_in_month(rows$month), 1e-3))
  method_names <- forecast_methods(season_from(season, rows$month[1]))
  errors <- rolling_errors(y, tried_months_ahead, as.integer(assumed("forecast_origins")),
    methods = method_names)
  paths <- method_paths(y, horizon, method_names)
  weight_of <- method_weights(errors, rownames(paths), length(y))
  own <- rolling_weighted(errors)
  spread_sd <- horizon_sd(own, horizon, y, season)
  ahead <- months_after(max(rows$month), seq_len(horizon))
  list(path = data.table(month = ahead, mean = as.vector(weight_of %*% paths), sd = spread_sd),
    weights = weight_of, errors = rbind(errors, own))
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
  usual_error <- stats::median(seen$error^2)
  by_method <- seen[, list(n = .N, sum = sum(error^2)), by = "method"]
  at <- match(methods, by_method$method)
  prior <- assumed("method_prior")
  mse <- (fcoalesce(by_method$sum[at], 0) + prior * usual_error) /
    (fcoalesce(by_method$n[at], 0L) + prior)
  weight_of <- (mse + 1e-6)^-2
  stats::setNames(weight_of / sum(weight_of), methods)
}

# Errors of the weighted forecast, as it would have been made at each origin.
rolling_weighted <- function(errors) {
  if (!nrow(errors)) return(errors)
  own <- errors[errors$method != "straight line"]
  rbindlist(lapply(split(own, own$origin), function(at) {
    weight_of <- method_weights(errors, unique(at$method), at$origin[1])
    at[, list(method = "weighted", error = sum(error * weight_of[method])),
      by = c("origin", "horizon")][, c("origin", "horizon", "method", "error")]
  }))
}

# Standard deviation of the log at each horizon: misses grow with it. Few of them lean on how far
# months of the series differ by chance, and on a season where none can be seen.
horizon_sd <- function(own, horizon, y, season = NULL) {
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
  unseen <- if (length(y) < 13 && is.null(season)) assumed("forecast_season") else 0
  usual <- (assumed("forecast_miss") * max(waver_of(y), least_waver))^2 + unseen^2
  sqrt((many * mean_square + prior * usual) / (many + prior) * growth(h))
}

# How far two months of a series differ by chance: the second differences, which a trend hardly
# counts in, or from a year and a half on the change on the year before, which a season hardly
# counts in, whichever is less. By the median, so that single odd months hardly count either.
waver_of <- function(y) {
  near <- stats::mad(diff(y, differences = 2), center = 0) / sqrt(3)
  if (length(y) < 18) near else min(near, stats::mad(diff(y, 12)))
}

# No series is taken to be surer than that.
least_waver <- 0.005

# Methods of forecasting, from the forecast package, on the log of clicks a day; and how they are
# put together. Each takes a monthly series of logs and gives what it expects of the months ahead.

need_forecast <- function() {
  # What it loads speaks of itself.
  if (!suppressMessages(requireNamespace("forecast", quietly = TRUE))) {
    abort_tide("Forecasts need the R package forecast, which is not installed.",
      where = "in the R library.", fix = "In R: install.packages(\"forecast\")", class = "forecast")
  }
}

# A year before, a season rests on one year only; from two on it can be estimated.
forecast_methods <- function(season = NULL) {
  method_names <- list(
    naive = list(least = 1, of = function(y, h) rep(utils::tail(y, 1), h)),
    `seasonal naive` = list(least = 13, of = function(y, h) {
      n <- length(y)
      y[n - 12 + (seq_len(h) - 1) %% 12 + 1]
    }),
    `last year plus recent growth` = list(least = 14, of = function(y, h) {
      n <- length(y)
      growth <- mean(utils::tail(diff(y, 12), assumed("growth_months")))
      y[n - 12 + (seq_len(h) - 1) %% 12 + 1] + growth
    }),
    `exponential smoothing` = list(least = 5, of = function(y, h) smoothed(y, h)),
    decomposition = list(least = 25, of = function(y, h) {
      as.numeric(forecast::stlf(as_monthly(y), h = h, s.window = "periodic", robust = TRUE,
        method = "ets", etsmodel = "ANN")$mean)
    }),
    ARIMA = list(least = 27, of = function(y, h) {
      fit <- forecast::Arima(as_monthly(y), order = c(0, 1, 1), seasonal = c(0, 1, 1))
      as.numeric(forecast::forecast(fit, h = h)$mean)
    }),
    theta = list(least = 5, of = function(y, h) {
      as.numeric(forecast::thetaf(as_monthly(y), h = h)$mean)
    }))
  # Logs of a season known from elsewhere, from the first month of the series on.
  if (!is.null(season)) {
    method_names$`search trends` <- list(least = 4, of = function(y, h) {
      at <- function(months) season[(months - 1) %% 12 + 1]
      smoothed(y - at(seq_along(y)), h, season = FALSE) + at(length(y) + seq_len(h))
    })
  }
  method_names
}

as_monthly <- function(y) stats::ts(y, frequency = 12)

# Level alone, with a damped trend, or with a season where there are two years: the one of the
# smallest AICc. Trend and season together earn nothing beside them and take as long again.
smoothed <- function(y, h, season = length(y) >= 25) {
  models <- c("ANN", if (length(y) >= 10) "AAN", if (season) "ANA")
  fits <- lapply(models, function(model) {
    null_if_it_fails(forecast::ets(as_monthly(y), model, damped = model == "AAN"))
  })
  fits <- Filter(Negate(is.null), fits)
  best <- fits[[which.min(vapply(fits, `[[`, 0, "aicc"))]]
  as.numeric(forecast::forecast(best, h = h)$mean)
}

# All methods that a series is long enough for: a matrix, a row a method, a column a month ahead.
method_paths <- function(y, h, methods = forecast_methods()) {
  fits <- lapply(methods, function(method) {
    if (length(y) < method$least) return(NULL)
    null_if_it_fails(suppressWarnings(method$of(y, h)))
  })
  do.call(rbind, Filter(function(path) length(path) == h && all(is.finite(path)), fits))
}

# In: logs by month. Out: data.table(origin, horizon, method, error: of the log), from forecasts
# made at each of the last months with what was known then.
rolling_errors <- function(y, horizon, origins, least = 4L, methods = forecast_methods()) {
  n <- length(y)
  at <- seq(max(least, n - origins), n - 1)
  at <- at[at >= least]
  rbindlist(apply_forked(at, function(origin) {
    h <- min(horizon, n - origin)
    paths <- method_paths(y[seq_len(origin)], h, methods)
    if (is.null(paths)) return(NULL)
    # What the spreadsheet does: a line through all months.
    x <- seq_len(origin)
    paths <- rbind(paths, `straight line` = unname(stats::predict(stats::lm(y[x] ~ x),
      data.frame(x = origin + seq_len(h)))))
    setDT(list(origin = rep(origin, length(paths)), horizon = as.vector(col(paths)),
      method = rownames(paths)[as.vector(row(paths))],
      error = as.vector(paths - matrix(y[origin + seq_len(h)], nrow(paths), h, byrow = TRUE))))
  }, spread = FALSE))
}
