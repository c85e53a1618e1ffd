# Every setting once: what it may be (`kind`, see project-setting-kinds.R; a list of kinds where
# settings stand inside), how it is written, and what it says. Checks, error texts, the help page of
# tide_settings() and the file that a new project begins with come from here.
setting_table <- function() {
  setting <- function(kind, example, about) list(kind = kind, example = example, about = about)
  list(
    site = setting("text", "https://www.fernmoor.example/", "the site's address"),
    contact = setting("text", "webmaster@fernmoor.example", "said with requests to the site"),
    currency = setting("text", "EUR", "of values"),
    brand = setting("words", "[fernmoor, fern moor]", "queries with them are kept apart"),
    ignore = setting("named_texts", "{fern care: not our subject, /^free /: nobody buys}",
      "never among the findings"),
    intended = setting("pages_or_file", "{kale seeds: /shop/kale/, /^how to grow/: /guides/}",
      "which page should answer which query; or a file: query, page"),
    moves = setting("moves_or_file", "{/old-shop/kale/: /shop/kale/}",
      "addresses that moved, each with its new one; or a file: old, new"),
    goals = setting("weights", "{orders: 1, sign_ups: 0.2}",
      "columns of facts by page, weighed into conversions"),
    watched = setting("words_or_lists", "{main terms: [kale seeds, /radish/]}",
      "queries to watch, see tide_watched()"),
    exports = setting("words", "[exports/*.csv]", "read where nothing is loaded yet"),
    enrichments = setting("words", "[facts/volumes.csv]", "volumes, titles, values"),
    history = setting("text", "monthly-totals.csv", "months, for forecasts"),
    words = setting("text", "our-words.yml", "sentences of one's own, see tide_words()"),
    events = setting("text", "events.csv", "what happened when, see tide_events()"),
    results_pages = setting("words", "[results.csv]",
      "what stands above, see tide_results_pages()"),
    letterhead = setting(list(name = "text", logo = "text", colour = "colour", note = "text"),
      "{name: Fernmoor Seeds, logo: logo.svg, colour: \"#1f4e79\"}",
      "of reports, see tide_report()"),
    columns = setting("named_texts", "{query: What people typed}",
      "headers that are not known by themselves"),
    date_order = setting("order", "dmy", "or mdy"),
    decimal = setting("decimal", "comma", "or point"),
    clicks_above = setting("clicks_above", "leave out", "or keep, refuse"),
    repeats = setting("repeats", "ask", "or newest, add"),
    intent = setting("named_words", "{commercial: [buy, best], informational: [how, why]}",
      "words that tell what the searcher is about to do"),
    page_groups = setting("named_texts", "{advice: /guides/, shop: /shop/}",
      "by the beginning of the path or a regular expression; the first that fits counts"),
    bands = setting("bands", "[1, 4, 11, 21]", "positions at which bands begin"),
    windows = setting(list(recent_days = "days", undated_days = "days", lag = "count"),
      "{recent_days: 90, undated_days: 90, lag: 3}", "lengths in days"),
    thresholds = setting(list(striking_distance = "range", target = "text", fdr = "share",
      min_gain = "count", min_impressions = "count"),
      "{striking_distance: \"4:20\", target: next, fdr: 0.1, min_impressions: 1}",
      "what counts as a finding"),
    hours = setting(lapply(finding_kinds(), function(kind) "effort"),
      "{low_ctr: 1, cannibalized: 3}", "of work, by kind"),
    assumptions = setting("assumptions", "{merge_rise: 0.7}", "see tide_assumptions()"),
    pull = setting("pulls", c("daily: {url: \"https://service.example/rows\",",
      "  fields: {query: /q, clicks: /c, impressions: /i}}"),
      "services to be asked, see tide_pull()"),
    sources = setting("sources", c(
      "warehouse: {driver: postgres, host: db.example, database: search, user: reader,",
      "  tables: [search.rows, search.totals], columns: {query: search_term},",
      "  where: \"site = 'a'\"}"), "databases, see tide_source()"),
    segments = setting("segments",
      "{long questions: {has_any: [how, why], words: \"5:\", not_page: /journal/}}",
      "filters under a name; 'not:long questions' for all else"))
}

# What may stand in inktide.yml: kinds by name; a list stands for settings inside.
setting_names <- function() lapply(setting_table(), `[[`, "kind")

# Settings as lines of YAML, each with what it says.
setting_lines <- function(settings = names(setting_table())) {
  unlist(lapply(settings, function(name) {
    own <- setting_table()[[name]]
    if (length(own$example) > 1) {
      return(c(sprintf("%s:  # %s", name, own$about), paste0("  ", own$example)))
    }
    text <- sprintf("%s: %s", name, own$example)
    if (nchar(text) + nchar(own$about) < 90) return(sprintf("%s  # %s", text, own$about))
    c(sprintf("# %s%s.", toupper(substr(own$about, 1, 1)), substring(own$about, 2)), text)
  }))
}

setting_notes <- paste("Conditions of segments are those of [tide_segment()]; ranges are written",
  "as `\"4:20\"`, or `\"5:\"` without an upper end;",
  "`any_of: [{query_text: pea}, {query_text: bean}]` is either of them,",
  "`not: yes` all that a segment does not hold. Paths are relative to the file.")
