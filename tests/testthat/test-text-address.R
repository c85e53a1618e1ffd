# Addresses are put together and encoded as the WHATWG URL Standard has it.

test_that("what markup holds becomes the address that a browser asks for", {
  base <- "https://www.fernmoor.example/a/b/c.html?q=1"
  at <- function(rest) paste0("https://www.fernmoor.example", rest)
  cases <- c(
    "\u00fcber-uns.html", at("/a/b/%C3%BCber-uns.html"),
    "page two.html", at("/a/b/page%20two.html"),
    "?q=\u00fc", at("/a/b/c.html?q=%C3%BC"),
    "%", at("/a/b/%"),
    "{{url}}", at("/a/b/%7B%7Burl%7D%7D"),
    "a|b", at("/a/b/a|b"),
    "http:\\\\x", "http://x/",
    "/\u00fcber-uns/", at("/%C3%BCber-uns/"),
    "/a b/", at("/a%20b/"),
    "//other.example/x", "https://other.example/x",
    "../up", at("/a/up"),
    "./", at("/a/b/"),
    "..", at("/a/"),
    "../../../..", at("/"),
    "https:x", at("/a/b/x"),
    "HTTPS://WWW.Fernmoor.example:443/K#s", at("/K"),
    "\\\\evil\\x", "https://evil/x",
    "/a/%2e%2E/b", at("/b"),
    "/a/./b/../c/", at("/a/c/"),
    "tab\tbed", at("/a/b/tabbed"),
    " /x\n", at("/x"),
    "http:/y", "http://y/",
    "https:///z", "https://z/",
    "a?b\\c", at("/a/b/a?b\\c"),
    "http://[::1]:80/x", "http://[::1]/x",
    "/?a=b'c\"", at("/?a=b%27c%22"),
    "/100%25/", at("/100%25/"),
    "http://a.example:8080/", "http://a.example:8080/",
    "#part", at("/a/b/c.html?q=1"),
    "/\U1F331/", at("/%F0%9F%8C%B1/"),
    "http://%65x.example/", "http://ex.example/")
  cases <- matrix(cases, 2)
  expect_equal(inktide:::absolute_urls(cases[1, ], base), cases[2, ])
  # What is encoded once stays as it is.
  expect_equal(inktide:::absolute_urls(cases[2, ], base), cases[2, ])
  none <- c("http://u:p@h/", "http://h:99999/", "javascript:void(0)", "mailto:a@b.example",
    "ftp://x/", "http://a b/", "https://", "//", "http://a<b/", "tel:12")
  expect_equal(inktide:::absolute_urls(none, base), rep("", length(none)))
  expect_equal(inktide:::web_origin(c("HTTPS://A.example:443/x", "http://127.0.0.1:80@b.example/",
    "http://a.example:81/?x", "x")), c("https://a.example", "", "http://a.example:81", ""))
  # Spellings of one address are one page.
  for (pair in list(c("/\u00fcber-uns/", "/%C3%BCber-uns/"), c("/a b/", "/a%20b/"))) {
    expect_equal(inktide:::page_key(at(pair[1])), inktide:::page_key(at(pair[2])))
  }
})

test_that("hosts of other scripts are Punycode, as RFC 3492 has it (section 7.1)", {
  coded <- function(hex) inktide:::punycode(strtoi(strsplit(hex, " ")[[1]], 16L))
  expect_equal(coded("644 64A 647 645 627 628 62A 643 644 645 648 634 639 631 628 64A 61F"),
    "egbpdaj6bu4bxfgehfvwxn")
  expect_equal(coded("4ED6 4EEC 4E3A 4EC0 4E48 4E0D 8BF4 4E2D 6587"), "ihqwcrb4cv8a8dqg056pqjye")
  expect_equal(inktide:::punycode(utf8ToInt(
    "Porqu\u00e9nopuedensimplementehablarenEspa\u00f1ol")),
    "PorqunopuedensimplementehablarenEspaol-fmd56a")
  expect_equal(coded("2D 3E 20 24 31 2E 30 30 20 3C 2D"), "-> $1.00 <--")
  # As a site's own address and as a link, however it is written.
  base <- "https://g\u00e4rten.fernmoor.example/a/"
  own <- "https://xn--grten-gra.fernmoor.example"
  expect_equal(inktide:::web_origin(c(base, own, "https://G\u00c4RTEN.fernmoor.example/")),
    rep(own, 3))
  expect_equal(inktide:::absolute_urls(c("b", "//fa\u00df.example/x", "https://a\u3002example/"),
    base), c(paste0(own, "/a/b"), "https://xn--fa-hia.example/x", "https://a.example/"))
})
