# What changed, line by line and in sum: the table of movers, its orders, the parts of the change.

change_table <- function(held, compared, level, state, most = 100L) {
  if (inherits(compared, "tide_comparison")) return(parts_table(compared, "data"))
  moves <- chosen_moves(compared, state)
  shown <- utils::head(moves, most)
  # Segments stand under their own names: sides[1] beneath sides[2].
  sides <- compared$sides
  both <- function(name) now_and_before(name, shown[[paste0(name, "_before")]],
    shown[[paste0(name, "_after")]], if (is.null(sides)) "from" else paste0(sides[1], ":"))
  columns <- shown_columns(shown, c("name", "clicks", "change", "impressions", "ctr", "position",
    "by_demand", "by_position", "by_ctr", "by_new_lost", "significant"),
    text = list(name = leading_names(level, shown$name), clicks = both("clicks"),
      impressions = both("impressions"), ctr = both("ctr"), position = both("position")))
  names(columns)[1] <- column_words(level, "label")
  if (!is.null(sides)) names(columns)[2] <- sprintf("%s, %s", names(columns)[2], sides[2])
  heads <- sort_heads(columns, "name", stats::setNames(nm = names(move_orders)),
    if (state$sort %in% names(move_orders)) state$sort else "change")
  more <- nrow(moves) - nrow(shown)
  paste0(change_sums(compared), moves_tools(compared, state),
    html_table(columns, look = "data tall", heads = heads, wide = "name"),
    if (more > 0) {
      sprintf("<p class='soft'>and %s more: CSV has all</p>", format_count(more))
    })
}

# What movers can be sorted by: the largest either way first.
move_orders <- c(change = "change", clicks = "clicks_after", impressions = "impressions_after",
  by_demand = "by_demand", by_position = "by_position", by_ctr = "by_ctr",
  by_new_lost = "by_new_lost")

chosen_moves <- function(compared, state) {
  moves <- compared$moves
  if (state$side == "lost") moves <- moves[moves$change < 0]
  if (state$side == "gained") moves <- moves[moves$change > 0]
  column <- move_orders[state$sort]
  if (is.na(column)) column <- "change"
  moves[order(-abs(moves[[column]]), moves$name)]
}

moves_tools <- function(compared, state) {
  sides <- c(` ` = "all", lost = "losers", gained = "gainers")
  names(sides)[1] <- ""
  sprintf("<div class='tools'>%s <span class='soft'>%s</span></div>",
    select_box("side", "Show", names(sides), sides, state$side),
    sprintf("Significant: more than chance moves lines of this size (false-discovery rate %s).",
      format_share(compared$fdr)))
}

change_sums <- function(compared) {
  site <- compared$site
  drivers <- utils::head(compared$drivers, 4)$sentence
  windows <- if (is.null(compared$sides)) compared$windows
  paste0(if ("from" %in% names(windows)) {
    sprintf("<p class='soft'>%s compared with %s%s</p>",
      format_days(windows$from[2], windows$to[2]), format_days(windows$from[1], windows$to[1]),
      if (isTRUE(compared$scaled)) {
        sprintf(". Clicks are per 30 days, since the windows hold %s and %s.",
          format_plural(windows$days[2], "day"), format_plural(windows$days[1], "day"))
      } else {
        sprintf(". Clicks are those of %s.", format_plural(windows$days[2], "day"))
      })
  },
    figures_list(c(
    stats::setNames(sprintf("%s to %s", format_count(site$clicks_before),
      format_count(site$clicks_after)), paste0("Clicks", month_words(compared$scaled))),
    unlist(shown_columns(site, c("change", "by_demand", "by_position", "by_ctr",
      "by_new_lost"))))),
    change_steps(site, compared$sides),
    html_list(drivers))
}

# The way from the clicks before to those after: a step for each part of the change, whose sum it
# is. sides: names of two segments in place of two windows.
change_steps <- function(site, sides = NULL) {
  parts <- unlist(site[1, c("by_demand", "by_position", "by_ctr", "by_new_lost")])
  parts <- parts[!is.na(parts)]
  if (!length(parts) || site$clicks_before == site$clicks_after) return("")
  ends <- site$clicks_before + cumsum(c(0, parts))
  from <- ends[-length(ends)]
  to <- ends[-1]
  x <- figure_scale(range(ends), c(190, 800))
  at <- 4 + 32 * seq_along(parts)
  foot <- max(at) + 24
  part_names <- column_words(names(parts), "short")
  bars <- sprintf(paste0("<text x='176' y='%s' text-anchor='end'>%s</text>",
    "<rect class='%s' x='%s' y='%s' width='%s' height='12'><title>%s</title></rect>",
    "<text x='886' y='%s' text-anchor='end'>%s</text>"),
    at + 10, escape(part_names), ifelse(parts < 0, "fallen", "first"),
    pmin(x$at(from), x$at(to)), at,
    pmax(1, abs(x$at(to) - x$at(from))),
    escape(sprintf("%s: %s clicks", part_names, signed_count(parts))), at + 10,
    signed_count(parts))
  edges <- c(site$clicks_before, site$clicks_after)
  lines <- sprintf(paste0("<line class='edge' x1='%s' x2='%s' y1='26' y2='%s'></line>",
    "<text x='%s' y='%s' text-anchor='middle'>%s %s</text>"), x$at(edges), x$at(edges), foot - 6,
    x$at(edges), c(18, foot + 14), if (is.null(sides)) c("before", "after") else escape(sides),
    format_count(edges))
  sprintf(paste("<svg class='figure' viewBox='0 0 900 %s' role='img'",
    "aria-label='the change, step by step'>%s</svg>"), foot + 20,
    paste(c(bars, lines), collapse = ""))
}
