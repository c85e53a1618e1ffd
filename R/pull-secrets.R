# What is secret of a service, and one place that hides it in all that is shown or kept.

# Texts that must not be seen: of the environment, given by the service, and what stands in
# settings under a name that says so.
known_secrets <- function(spec) {
  named <- c(spec$token_env, spec$oauth$secret_env)
  own <- c(spec$headers, spec$parameters)
  telling <- grepl("auth|key|token|secret|passw|cookie", names(own), ignore.case = TRUE)
  # Without a name all of the environment would come.
  secrets <- c(if (length(named)) Sys.getenv(named),
    unlist(Filter(is.character, as.list(spec$given))), unlist(own[telling]))
  secrets <- unique(as.character(secrets))
  secrets <- secrets[!is.na(secrets) & nzchar(secrets) & !grepl("^\\{[a-z]+\\}$", secrets)]
  secrets[order(-nchar(secrets))]
}

hide_secrets <- function(spec, text) mask_secrets(text, known_secrets(spec))

# Each secret as it is, percent-encoded, in hexadecimal, or in base64, alone or within other text.
# Of a long text the beginning is enough for a message.
mask_secrets <- function(text, secrets) {
  if (!length(secrets) || !nzchar(text)) return(text)
  forms <- unique(unlist(lapply(secrets, secret_forms)))
  mask <- function(text) {
    for (form in forms) text <- gsub(form, "***", text, fixed = TRUE)
    text
  }
  text <- mask_base64(mask(substr(text, 1, 4000)), mask)
  # Encoded in another way than usual, or twice: then what it reads as is shown.
  for (layer in 1:3) {
    for (plain in c(decode_percent(text), plain_escapes(text))) {
      masked <- mask_base64(mask(plain), mask)
      if (masked != plain) text <- masked
    }
  }
  text
}

secret_forms <- function(secret) {
  hex <- paste(charToRaw(enc2utf8(secret)), collapse = "")
  c(secret, utils::URLencode(secret, reserved = TRUE), if (nchar(hex) >= 8) c(hex, toupper(hex)))
}

# Runs of base64 that read as something to be masked. A run may begin at any of four signs, since
# what stands before it may look like a part of it.
mask_base64 <- function(text, mask) {
  runs <- gregexpr("([A-Za-z0-9+/_-]|\\\\n|\\s){6,}=*", text)
  regmatches(text, runs) <- lapply(regmatches(text, runs), function(found) {
    vapply(found, function(run) {
      signs <- chartr("-_", "+/", gsub("\\\\n|\\s|=", "", run))
      secret <- vapply(1:4, function(from) {
        piece <- substring(signs, from)
        bytes <- jsonlite::base64_dec(paste0(piece, strrep("=", -nchar(piece) %% 4)))
        plain <- as_utf8(rawToChar(bytes[bytes != 0]))
        mask(plain) != plain || mask(decode_percent(plain)) != decode_percent(plain)
      }, NA)
      if (any(secret)) "***" else run
    }, "")
  })
  text
}

# "\u0041" and "\/" of JSON as they read.
plain_escapes <- function(text) {
  text <- gsub("\\/", "/", text, fixed = TRUE)
  code <- gregexpr("\\\\u00[2-7][0-9a-fA-F]", text)
  regmatches(text, code) <- lapply(regmatches(text, code), function(found) {
    vapply(found, function(one) intToUtf8(strtoi(substring(one, 3), 16L)), "")
  })
  text
}
