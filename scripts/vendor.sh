#!/usr/bin/env bash
# Takes the front-end files that ship with the application from the npm registry, at pinned
# versions, with their licences. Run by hand when a version here changes; commit what it writes.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
static=$root/src/brumel/web/static/vendor
testing=$root/tests/browser/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

take() { # take PACKAGE VERSION TARGET FILE…
    local package=$1 version=$2 target=$3; shift 3
    local archive
    archive=$(cd "$work" && npm pack --silent "$package@$version" 2>/dev/null | tail -n 1)
    rm -rf "$work/package" "$target"
    mkdir -p "$target"
    tar -xzf "$work/$archive" -C "$work"
    local file
    for file in "$@"; do cp "$work/package/$file" "$target/"; done
    printf '%s %s\n' "$package" "$version" > "$target/VERSION"
}

take bootstrap 5.3.9 "$static/bootstrap" dist/css/bootstrap.min.css LICENSE
take @fontsource/b612 5.3.0 "$static/b612" LICENSE \
    files/b612-latin-400-normal.woff2 files/b612-latin-700-normal.woff2
take axe-core 4.14.1 "$testing/axe-core" axe.min.js LICENSE
sed -i '/sourceMappingURL/d' "$static/bootstrap/bootstrap.min.css"
