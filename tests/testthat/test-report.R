test_that(
  "the report is one file that needs nothing else, holds the list and escapes what it shows",
  {
    rows <- made_site(queries = 300)
    hostile <- "<script>alert('x')</script>"
    rows[query == rows[round(position) > 5, .N, by = query][order(-N)]$query[1], query := hostile]
    found <- tide_find(tide_summary(as_data(rows)), min_gain = 0)
    file <- withr::local_tempfile(fileext = ".html")
    tide_report(found, file, title = "A & B")
    html <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
    expect_true(hostile %in% found$findings$query)
    expect_false(grepl(hostile, html, fixed = TRUE))
    expect_match(html, "&lt;script&gt;alert", fixed = TRUE)
    expect_match(html, "<title>A &amp; B</title>", fixed = TRUE)
    # Nothing is fetched; pages of the list are linked to.
    expect_false(grepl("src=['\"](https?:)?//|<link", html))
    expect_false(grepl("@import|url\\(['\"]?https?:", html))
    expect_equal(lengths(regmatches(html, gregexpr("<svg ", html))),
      lengths(regmatches(html, gregexpr("aria-label='[^']{20,}", html))))
    # Each page lists its own findings and no others: every action stands twice, in the list and
    # under its page.
    actions <- htmltools::htmlEscape(found$action)
    expect_equal(
      unname(lengths(regmatches(html, gregexpr(paste0(": ", actions[1]), html, fixed = TRUE)))), 1L)
    expect_equal(lengths(regmatches(html, gregexpr("<li><span class='kind", html))),
      nrow(found$findings))
    for (id in found$findings$id) expect_match(html, id, fixed = TRUE)
    ids <- regmatches(html, gregexpr("(?<= id=')[^']+", html, perl = TRUE))[[1]]
    expect_equal(anyDuplicated(ids), 0L)
  })

# What people are handed: the report's parts, checklist, workbook and figures say what the objects
# say.

html_of <- function(...) {
  file <- withr::local_tempfile(fileext = ".html")
  tide_report(..., file = file)
  paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
}

times <- function(pattern, text) lengths(regmatches(text, gregexpr(pattern, text, perl = TRUE)))

test_that(
  "every plain table of the report has as many cells in each row as headers, and all tags close",
  {
    skip_unless_studies()
    html <- html_of(demo()$found)
    tables <-
      regmatches(html, gregexpr("(?s)<table class='plain'>.*?</table>", html, perl = TRUE))[[1]]
    expect_gt(length(tables), 3)
    for (table in tables) {
      body <- sub("(?s).*?<tbody>", "", table, perl = TRUE)
      rows <- regmatches(body, gregexpr("(?s)<tr.*?</tr>", body, perl = TRUE))[[1]]
      expect_true(all(times("<td[ >]", rows) == times("<th[ >]", table)))
    }
    for (tag in c("section", "table", "tr", "details", "ul", "li", "svg")) {
      expect_equal(times(sprintf("<%s[ >]", tag), html), times(sprintf("</%s>", tag), html))
    }
  })

test_that(
  "what moved and what was followed stand in the report with their own figures; noise is soft",
  {
  skip_unless_studies()
    rows <- made_site(queries = 200, days = 70, demand = rep(20, 200))
    lost <- rows$page == "https://www.fernmoor.example/p7/" & rows$date > max(rows$date) - 28
    rows[lost, c("impressions", "clicks") := list(impressions %/% 4L + 1L, clicks %/% 4L)]
    data <- as_data(rows)
    found <- tide_find(tide_summary(data), min_gain = 0)
    moves <- tide_compare(data, by = "page", curve = found$curve)
    plain <- html_of(found)
    html <- html_of(found, moves = moves, followed = tide_follow(data, "/p7/", curve = found$curve))
    for (id in c("moved", "time")) {
      expect_equal(c(grepl(sprintf("id='%s'", id), plain), grepl(sprintf("id='%s'", id), html)),
        c(FALSE, TRUE))
    }
    moved <- regmatches(html, regexpr("(?s)<section id='moved'>.*?</section>", html, perl = TRUE))
    expect_match(moved, inktide:::site_sentences(moves)[1], fixed = TRUE)
    shown <- utils::head(moves$moves, 8)
    expect_true("https://www.fernmoor.example/p7/" %in% shown$name[shown$significant])
    expect_equal(times("<tr class='soft'>", moved), sum(!shown$significant))
    # The opening names the page that lost and a figure of the site that is true.
    expect_match(html, "/p7/", fixed = TRUE)
    expect_match(gsub("<[^>]+>", " ", html), inktide:::format_count(moves$site$clicks_after),
      fixed = TRUE)
  })

test_that("the template of a report knits on a project", {
  skip_unless_studies()
  skip_if_not_installed("nanoparquet")
  skip_if_not_installed("knitr")
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]"),
    file.path(dir, "inktide.yml"))
  tide_load(tide_store(dir), unlist(tide_example()[c("pairs", "totals")]))
  skeleton <- system.file("rmarkdown", "templates", "report", "skeleton", "skeleton.Rmd",
    package = "inktide")
  withr::local_dir(withr::local_tempdir())
  to <- new.env()
  to$params <- list(project = dir, tasks = 3, logo = "")
  knitr::knit(skeleton, "report.md", quiet = TRUE, envir = to)
  lines <- readLines("report.md")
  expect_length(grep("^[1-3][.] [*][*]", lines), 3)
  expect_false(any(grepl("^## Error|^Error", lines)))
})

test_that("the report opens with what happened and the first tasks, and each reader has its own", {
  rows <- made_site(queries = 200, days = 70, demand = rep(20, 200))
  data <- as_data(rows)
  found <- tide_find(tide_summary(data), min_gain = 0)
  moves <- tide_compare(data, by = "page", curve = found$curve)
  html <- html_of(found, moves = moves)
  tiles <- regmatches(html, regexpr("(?s)<ul class='totals'>.*?</ul>", html, perl = TRUE))
  site <- moves$site
  for (name in c("clicks", "impressions", "ctr", "position")) {
    for (side in c("_after", "_before")) {
      said <- inktide:::column_text(name, site[[paste0(name, side)]])
      expect_match(tiles, paste0(if (side == "_before") "from ", said), fixed = TRUE)
    }
  }
  expect_equal(times("class='spark'", tiles), 4)
  tasks <- regmatches(html, regexpr("(?s)<ol class='first'>.*?</ol>", html, perl = TRUE))
  leads <- inktide:::task_leads(inktide:::in_sentences(found))
  for (action in utils::head(leads$action, 5)) {
    expect_match(tasks, htmltools::htmlEscape(action), fixed = TRUE)
  }
  expect_equal(times("<li>", tasks), min(5, nrow(leads)))
  # In order: the first screen, what changed, the list, how it was made; all else is folded.
  open <- regmatches(html, gregexpr("(?<=<section id=')[a-z-]+(?='><details open>)", html,
    perl = TRUE))[[1]]
  expect_equal(open, c("moved", "findings", "made"))
  given <- function(html) {
    regmatches(html, gregexpr("(?<=<section id=')[a-z-]+", html, perl = TRUE))[[1]]
  }
  client <- html_of(found, moves = moves, reader = "client")
  expect_equal(given(client), c("moved", "made", "totals", "meaning"))
  writer <- html_of(found, moves = moves, reader = "writer")
  expect_equal(given(writer), c("checklist", "meaning"))
  for (lead in utils::head(leads$reason, 3)) {
    expect_match(writer, htmltools::htmlEscape(lead), fixed = TRUE)
  }
  for (page in list(html, client, writer)) {
    links <- regmatches(page, gregexpr("(?<=<a href='#)[a-z-]+", page, perl = TRUE))[[1]]
    expect_setequal(links, given(page))
  }
  expect_error(html_of(found, reader = "boss"), class = "tide_error_argument")
})

test_that("a letterhead is shown as it is, never as markup, and can be read", {
  found <- demo()$found
  logo <- withr::local_tempfile(fileext = ".svg",
    lines = "<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>")
  html <- html_of(found, title = "</style><b>\"x\"", letterhead = list(name = "<i>Hedgerow</i>",
    logo = logo, colour = "#2f6b3a", note = "Ask <u>us</u>."), reader = "writer")
  expect_match(html, "&lt;i&gt;Hedgerow", fixed = TRUE)
  expect_match(html, "<footer>Ask &lt;u&gt;us", fixed = TRUE)
  expect_match(html, "src='data:image/svg+xml;base64,", fixed = TRUE)
  expect_match(html, ":root { --main: #2f6b3a; }", fixed = TRUE)
  expect_equal(times("</style>", html), 1)
  expect_false(grepl("<b>.x|alert\\(1\\)|<u>", html))
  for (wrong in list(list(colour = "#ffee88"), list(colour = "red"), list(logo = "none.svg"),
    list(motto = "x"), list(name = 1))) {
    expect_error(html_of(found, letterhead = wrong), class = "tide_error_argument")
  }
  dir <- withr::local_tempdir()
  writeLines(c("site: x", "letterhead: {colour: \"#ffee88\"}"), file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
})

test_that("words above a figure are broken where a narrow screen would cut them", {
  figure <- ggplot2::ggplot() + ggplot2::labs(title = "Short",
    subtitle = "a sentence of seventy letters that no phone has room for beside itself")
  drawn <- inktide:::inline_svg(figure, "figure")
  lines <- vapply(strsplit(drawn, "class='narrow'", fixed = TRUE)[[1]],
    function(part) lengths(gregexpr("<text ", part)), 0L, USE.NAMES = FALSE)
  expect_equal(lines, c(2L, 3L))
})
