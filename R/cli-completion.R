# inktide completion: commands, their options and what these can be, for a shell to complete. Made
# from the same tables that calls are read by.

command_completion <- function(shared) {
  list(
    job = "completion of commands, options and their choices, for bash or zsh",
    files = "SHELL",
    example = "inktide completion bash",
    options = options_named(shared, "--quiet"),
    run = run_completion)
}

run_completion <- function(options, files) {
  shells <- c("bash", "zsh")
  if (length(files) != 1 || !files %in% shells) {
    abort_call("No such shell.", paste(c("inktide completion", files), collapse = " "),
      paste("Write eval \"$(inktide completion bash)\" into ~/.bashrc, or the same with zsh into",
        "~/.zshrc."))
  }
  cli_out(c(if (files == "zsh") "autoload -U +X bashcompinit && bashcompinit", completion_lines()))
}

completion_lines <- function() {
  commands <- cli_commands()
  quoted <- function(words) sprintf("'%s'", paste(words, collapse = " "))
  cases <- unlist(lapply(names(commands), function(name) {
    own <- commands[[name]]$options
    c(
      sprintf("    %s) flags=%s ;;", name, quoted(flags_of(own))),
      unlist(lapply(Filter(function(one) length(one$choices), own), function(one) {
        sprintf("    '%s %s') choices=%s ;;", name, one$flag, quoted(one$choices))
      })))
  }))
  of_flags <- !grepl("choices=", cases, fixed = TRUE)
  c(
    "_inktide() {",
    "  local word=\"${COMP_WORDS[COMP_CWORD]}\" before=\"${COMP_WORDS[COMP_CWORD-1]}\"",
    "  local command=\"${COMP_WORDS[1]}\" flags= choices=",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf("    COMPREPLY=($(compgen -W %s -- \"$word\"))", quoted(c(names(commands), "help"))),
    "    return",
    "  fi",
    "  case \"$command $before\" in",
    cases[!of_flags],
    "  esac",
    "  case \"$command\" in",
    cases[of_flags],
    sprintf("    help) choices=%s ;;", quoted(c(names(commands), "filters"))),
    "  esac",
    "  if [ -n \"$choices\" ]; then",
    "    COMPREPLY=($(compgen -W \"$choices\" -- \"$word\"))",
    "  elif [[ \"$word\" == -* ]]; then",
    "    COMPREPLY=($(compgen -W \"$flags\" -- \"$word\"))",
    "  else",
    "    COMPREPLY=($(compgen -f -- \"$word\"))",
    "  fi",
    "}",
    "complete -o filenames -F _inktide inktide")
}
