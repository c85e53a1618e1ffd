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
  methods <- list(
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
    methods$`search trends` <- list(least = 4, of = function(y, h) {
      at <- function(months) season[(months - 1) %% 12 + 1]
      smoothed(y - at(seq_along(y)), h, season = FALSE) + at(length(y) + seq_len(h))
    })
  }
  methods
}

as_monthly <- function(y) stats::ts(y, frequency = 12)

# Level alone, or with a damped trend, with a season where there are two years: the one of the
# smallest AICc.
smoothed <- function(y, h, season = length(y) >= 25) {
  season <- if (season) c("N", "A") else "N"
  fits <- lapply(c(paste0("AN", season), if (length(y) >= 10) paste0("AA", season)),
    function(model) {
      tryCatch(forecast::ets(as_monthly(y), model, damped = startsWith(model, "AA")),
        error = function(e) NULL)
    })
  fits <- Filter(Negate(is.null), fits)
  best <- fits[[which.min(vapply(fits, `[[`, 0, "aicc"))]]
  as.numeric(forecast::forecast(best, h = h)$mean)
}

# All methods that a series is long enough for: a matrix, a row a method, a column a month ahead.
method_paths <- function(y, h, methods = forecast_methods()) {
  fits <- lapply(methods, function(method) {
    if (length(y) < method$least) return(NULL)
    tryCatch(suppressWarnings(method$of(y, h)), error = function(e) NULL)
  })
  do.call(rbind, Filter(function(path) length(path) == h && all(is.finite(path)), fits))
}

# In: logs by month. Out: data.table(origin, horizon, method, error: of the log), from forecasts
# made at each of the last months with what was known then.
rolling_errors <- function(y, horizon, origins, least = 4L, methods = forecast_methods()) {
  n <- length(y)
  at <- seq(max(least, n - origins), n - 1)
  at <- at[at >= least]
  rbindlist(lapply(at, function(origin) {
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
  }))
}
