#!/bin/sh
# Installs a browser, and what drives it, for the tests of the workbench; without them those tests are skipped. Never fails.
modules=.build/browser/node_modules
ready() { command -v chromium > /dev/null && command -v node > /dev/null && [ -d "$modules/playwright-core" ] && [ -d "$modules/axe-core" ]; }
ready && exit 0
as_root=""
[ "$(id -u)" = 0 ] || as_root="sudo -n"
if command -v apt-get > /dev/null; then
  echo "Installing a browser, for the tests of the workbench."
  packages=""
  command -v chromium > /dev/null || packages="chromium"
  command -v npm > /dev/null || packages="$packages nodejs npm"
  if [ -n "$packages" ]; then
    $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq > /dev/null 2>&1
    $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends $packages > /dev/null 2>&1
  fi
fi
if command -v npm > /dev/null; then
  mkdir -p .build/browser
  npm install --prefix .build/browser --no-fund --no-audit playwright-core axe-core > .build/browser.log 2>&1
fi
ready || echo "No browser that can be driven: its tests are skipped."
exit 0
