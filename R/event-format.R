# Events and changes as sentences.

measure_words <- c(clicks = "clicks", demand = "searches", position = "what its positions earn",
  click_through = "click-through at equal position")

percent_size <- function(ratio) sprintf("%.0f%%", 100 * abs(ratio - 1))
percent_change <- function(ratio) paste0(ifelse(ratio < 0.995, "-", "+"), percent_size(ratio))

# "2026-04-20 Titles rewritten (3 pages): clicks +47% (+18% to +81%) - rose; ..."
shift_lines <- function(shifts) {
  if (!NROW(shifts)) return("No events were given (a table of date, event, pages).")
  vapply(split(shifts, factor(paste(shifts$date, shifts$event),
    unique(paste(shifts$date, shifts$event)))),
    function(own) {
    head <- sprintf("%s %s (%s)", format(own$date[1]), own$event[1],
      if (nzchar(own$pages[1])) format_plural(own$touched[1], "page") else "the whole site")
    if (is.na(own$ratio[1])) return(sprintf("%s: %s to tell.", head, own$verdict[1]))
    told <- sprintf("%s %s (%s to %s)", measure_words[own$measure], percent_change(own$ratio),
      percent_change(own$ratio_low), percent_change(own$ratio_high))
    clear <- which(own$verdict != "no sign" & own$measure != "clicks")
    sprintf("%s: %s; %s. Against %s, %s before and after.", head,
      if (own$verdict[1] == "no sign") paste(told[1], "- no sign") else paste(told[1], "-",
      own$verdict[1]),
      if (length(clear)) paste(told[clear],
        collapse = ", ") else "nothing in searches, position or click-through is beyond the usual",
        own$against[1],
        format_plural(own$days[1], "day"))
  }, "", USE.NAMES = FALSE)
}

found_change_lines <- function(changes, most = 8) {
  if (!nrow(changes)) return("None beyond the usual drift.")
  shown <- utils::head(changes, most)
  of <- fcase(shown$level == "page", format_path(shown$name), shown$level == "folder",
    paste("all of", shown$name),
    default = "the whole site")
  c(sprintf("%s %s: %s %s (%s to %s)%s", format(shown$date), of, measure_words[shown$measure],
    percent_change(shown$ratio), percent_change(shown$ratio_low), percent_change(shown$ratio_high),
    ifelse(nzchar(shown$event), sprintf("; %s: %s",
      ifelse(shown$days_from == 0, "on that day",
      sprintf("%s %s", format_plural(abs(shown$days_from), "day"),
        ifelse(shown$days_from > 0, "after", "before"))), shown$event), "")),
    if (nrow(changes) > most) sprintf("... and %s more", format_count(nrow(changes) - most)))
}
