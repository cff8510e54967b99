#!/bin/sh
# Copy scripts and fonts from npm packages and build the styles; the result is committed in studio/static.
# sh build.sh [folder]: build into another folder, to compare.
set -eu
out=${1:-../studio/static}
mkdir -p "$out/vendor/fonts"
cp node_modules/alpinejs/dist/cdn.min.js "$out/vendor/alpine.min.js"
cp node_modules/htmx.org/dist/htmx.min.js "$out/vendor/htmx.min.js"
for f in source-sans-3:400-normal source-sans-3:600-normal source-serif-4:600-normal ibm-plex-mono:400-normal ibm-plex-mono:500-normal; do
  family=${f%%:*}; face=${f##*:}
  cp "node_modules/@fontsource/$family/files/$family-latin-$face.woff2" "$out/vendor/fonts/$family-$face.woff2"
done
npx @tailwindcss/cli -i app.css -o "$out/app.css" --minify
