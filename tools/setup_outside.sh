#!/bin/sh
# What streams are checked against: FFmpeg, the tools of the formats, a browser. As root they are
# installed; otherwise the checks that lack them are skipped with a word.
set -eu
missing=""
need() { command -v "$2" >/dev/null 2>&1 || missing="$missing $1"; }
need ffmpeg ffmpeg
need opus-tools opusinfo
need vorbis-tools ogginfo
need flac flac
need chromium chromium
if [ -n "$missing" ] && [ "$(id -u)" = 0 ]; then
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
elif [ -n "$missing" ]; then
    echo "Not installed, so some checks are skipped:$missing" >&2
fi
