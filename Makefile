# Targets for people: demo, test, install. On a fresh machine each installs what is missing first.
PREFIX ?= $(HOME)/.local
BUILD := .build
LIBRARY := $(BUILD)/library
SOURCES := DESCRIPTION NAMESPACE $(wildcard R/*.R) $(wildcard src/*.[ch]) src/Makevars $(wildcard inst/*/*) exec/inktide

.PHONY: demo test test-all lint format site sanitize install build setup setup-test setup-databases setup-browser test-databases docs example bench bench-quick clean

demo: build
	@exec/inktide demo demo-site

build: setup $(BUILD)/built

# The package as the checkout's own program runs it.
$(BUILD)/built: $(SOURCES)
	@echo "Building the package into $(LIBRARY)"
	@mkdir -p $(LIBRARY)
	@R CMD INSTALL --clean --no-docs --no-test-load --no-multiarch --library=$(LIBRARY) . > $(BUILD)/build.log 2>&1 || { cat $(BUILD)/build.log; exit 1; }
	@touch $@

setup:
	@sh tools/setup.sh run

setup-test:
	@sh tools/setup.sh test

test: setup-test build
	@Rscript tools/test.R

setup-databases:
	@sh tools/setup-databases.sh

setup-browser:
	@sh tools/setup-browser.sh

# Sources on real database servers.
test-databases: setup-test setup-databases build
	@INKTIDE_STUDIES=true Rscript tools/test.R database database-shards

# With the studies among the tests and the package check: what .ci/run asks for.
test-all: setup-test build
	@Rscript tools/test.R all

# The rules of style.
lint:
	@sh tools/setup.sh lint
	@Rscript tools/lint.R

# The C sources, by src/.clang-format.
format:
	@command -v clang-format > /dev/null || { echo "make format needs clang-format"; exit 1; }
	@clang-format -i src/*.[ch]

# The documentation as pages, in site/, from help pages and vignettes; no network.
site: build
	@sh tools/setup.sh site
	@R_LIBS=$(CURDIR)/$(LIBRARY) Rscript tools/site.R

sanitize: setup-test
	@sh tools/sanitize.sh

install: setup
	@sh tools/install.sh "$(PREFIX)"

docs:
	@sh tools/setup.sh docs
	@Rscript tools/document.R

example: build
	@R_LIBS=$(LIBRARY) Rscript tools/make-example.R

# Fails where a step has become slower by a fifth.
bench-quick: build
	@R_LIBS=$(LIBRARY) Rscript bench/quick.R

bench: build
	@sh tools/setup.sh bench
	@R_LIBS=$(LIBRARY) Rscript bench/run.R

clean:
	rm -rf $(BUILD) demo-site site
