# A project is a folder that holds inktide.yml: the site, its brand words and where its exports are.

setting_names <- c("site", "brand", "exports", "columns")

# The nearest folder upwards that holds inktide.yml, or NULL.
find_project <- function(from) {
  folder <- normalizePath(from, mustWork = FALSE)
  repeat {
    if (file.exists(file.path(folder, "inktide.yml"))) return(folder)
    if (dirname(folder) == folder) return(NULL)
    folder <- dirname(folder)
  }
}

# Out: list(folder, site, brand, columns, exports); `exports` are existing paths.
read_project <- function(folder) {
  file <- file.path(folder, "inktide.yml")
  if (!file.exists(file)) {
    abort_tide("The folder is not a project.", where = sprintf("There is no '%s'.", file),
      mend = "Name the folder that holds inktide.yml, or name the CSV files.", class = "project", file = file)
  }
  settings <- tryCatch(yaml::read_yaml(file), error = function(e) {
    abort_tide("The settings cannot be read.", where = sprintf("'%s': %s.", file, gsub("\\s+", " ", conditionMessage(e))),
      mend = "Write them as 'name: value', with lists as lines that begin with '  - '.", class = "settings", file = file)
  })
  unknown <- setdiff(names(settings), setting_names)
  if (length(unknown)) {
    abort_tide(sprintf("Unknown setting '%s'.", unknown[1]), where = sprintf("'%s', line %d.", file, setting_line(file, unknown[1])),
      mend = sprintf("Did you mean '%s'?", nearest_name(unknown[1], setting_names)), class = "settings", file = file)
  }
  paths <- file.path(folder, as.character(unlist(settings$exports)))
  list(folder = folder, site = settings$site, brand = as.character(unlist(settings$brand)),
    columns = if (length(settings$columns)) unlist(settings$columns),
    exports = if (length(settings$exports)) unlist(lapply(paths, expand_path, file = file)))
}

expand_path <- function(path, file) {
  found <- if (grepl("[*?]", path)) sort(Sys.glob(path)) else path[file.exists(path)]
  if (!length(found)) {
    abort_tide("An export named in the settings is missing.", where = sprintf("'%s' names '%s'.", file, path),
      mend = "Put the file there, or correct the list 'exports'.", class = "settings", file = file)
  }
  found
}

setting_line <- function(file, name) {
  line <- grep(paste0("^\\s*['\"]?", gsub("([^[:alnum:]_])", "\\\\\\1", name), "['\"]?\\s*:"), readLines(file, warn = FALSE))
  if (length(line)) line[1] else 1L
}

nearest_name <- function(name, known) known[which.min(utils::adist(name, known, ignore.case = TRUE))]
