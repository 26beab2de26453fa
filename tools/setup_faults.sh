#!/bin/sh
# What some faults need besides: a hung share (FUSE), a sound device in user space. As root they are
# installed; otherwise the faults that lack them are skipped with a word.
set -eu
need() { command -v "$2" >/dev/null 2>&1 || missing="$missing $1"; }
missing=""
need pulseaudio pulseaudio
need gcc cc
ls /usr/lib/*/libfuse.so.2 /lib/*/libfuse.so.2 >/dev/null 2>&1 || missing="$missing libfuse2"
ls /usr/lib/*/alsa-lib/libasound_module_pcm_pulse.so >/dev/null 2>&1 ||
    missing="$missing libasound2-plugins"
if [ -n "$missing" ] && [ "$(id -u)" = 0 ]; then
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
elif [ -n "$missing" ]; then
    echo "Not installed, so some faults are skipped:$missing" >&2
fi
