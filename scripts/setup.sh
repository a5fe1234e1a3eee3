# Sourced by ./run and ./test: checks the toolchain, installs Debian's MariaDB and Chromium where they are missing,
# and builds the front end when its sources changed.

say() { printf 'dogbane: %s\n' "$*" >&2; }
die() { say "$*"; exit 1; }

need_toolchain() {
  command -v go >/dev/null 2>&1 || die "Go is missing. Install Go 1.26 or newer (the file go.mod names the version) and put it on PATH."
  command -v node >/dev/null 2>&1 && command -v npm >/dev/null 2>&1 || die "Node.js and npm are missing. Install Node 20 or newer."
  local major; major=$(node -p 'process.versions.node.split(".")[0]')
  [ "$major" -ge 20 ] || die "Node $major is too old: version 20 or newer is needed."
}

# need_package PACKAGE FILE...: installs PACKAGE unless every FILE is executable.
need_package() {
  local package=$1 file missing=0; shift
  for file in "$@"; do [ -x "$file" ] || missing=1; done
  [ "$missing" = 1 ] || return 0
  command -v apt-get >/dev/null 2>&1 || die "$package is missing and this is not a Debian system: install it by hand ($* must exist)."
  local sudo=""
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null 2>&1 && sudo=sudo || die "$package is missing. As root, run: apt-get install $package"
  fi
  say "installing Debian's package $package (once) ..."
  local archives lock=/tmp/dogbane-apt.lock log
  archives=$(mktemp -d); mkdir -p "$archives/partial"; log=$(mktemp)
  (
    flock 9
    # Keep a packaged service, if one comes along, from starting: Dogbane runs a private server of its own.
    local policy=/usr/sbin/policy-rc.d made=0
    if [ ! -e "$policy" ]; then printf '#!/bin/sh\nexit 101\n' | $sudo tee "$policy" >/dev/null; $sudo chmod +x "$policy"; made=1; fi
    trap '[ "$made" = 1 ] && $sudo rm -f "$policy"' EXIT
    $sudo apt-get -o DPkg::Lock::Timeout=300 update >"$log" 2>&1 || say "apt-get update reported a problem; trying the install all the same"
    $sudo env DEBIAN_FRONTEND=noninteractive apt-get -y -o DPkg::Lock::Timeout=300 -o Dir::Cache::archives="$archives" \
      install --no-install-recommends "$package" >>"$log" 2>&1
  ) 9>>"$lock" || { tail -20 "$log" >&2; die "could not install $package (see above)"; }
  rm -rf "$archives" "$log"
}

need_mariadb() {
  need_package mariadb-server-core /usr/sbin/mariadbd /usr/bin/mariadb-install-db
  need_package mariadb-client-core /usr/bin/my_print_defaults
}
# A second reader of spreadsheets, for the tests.
need_ssconvert() { need_package gnumeric /usr/bin/ssconvert; }
# Second readers of what is printed and fed: texts and bars of a PDF, tables.
need_readers() {
  need_package poppler-utils /usr/bin/pdftotext
  need_package zbar-tools /usr/bin/zbarimg
  need_package miller /usr/bin/mlr
  need_package curl /usr/bin/curl
  need_package python3 /usr/bin/python3
}
# A C compiler, for Go's race detector.
need_cc() {
  command -v "${CC:-gcc}" >/dev/null 2>&1 || need_package gcc /usr/bin/gcc
  [ -e /usr/include/stdlib.h ] || need_package libc6-dev /usr/include/stdlib.h
}
need_chromium() { need_package chromium /usr/bin/chromium; }

# web_modules: node_modules as the lock file says, once per lock file.
web_modules() {
  ( flock 9
    local stamp=node_modules/.dogbane-lock want
    want=$(sha256sum package-lock.json | cut -d' ' -f1)
    if [ "$(cat "$stamp" 2>/dev/null)" != "$want" ]; then
      say "installing front-end packages ..."
      npm ci --no-fund --no-audit --loglevel=error >&2 || exit 1
      echo "$want" > "$stamp"
    fi
  ) 9>>.install.lock || die "npm ci failed in web/"
}

# web_build: web/dist, when a source is newer than the last build.
web_build() {
  ( cd web && web_modules && ( flock 9
    local stamp=node_modules/.dogbane-build want
    want=$(find src public index.html package-lock.json vite.config.ts tsconfig.json -type f -print0 2>/dev/null | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)
    if [ "$(cat "$stamp" 2>/dev/null)" != "$want" ] || [ ! -f dist/index.html ]; then
      say "building the front end ..."
      npm exec -- vite build --logLevel warn >&2 || exit 1
      echo "$want" > "$stamp"
    fi
  ) 9>>.install.lock ) || die "the front end did not build"
}
