#!/usr/bin/env bash
# Speaks the words that channels are named with, as WAVE, 16 kHz, 16 bit, mono. Run by hand when a word is added; the results
# are kept in the repository. Needs flite and ffmpeg from Debian's packages.
set -euo pipefail
cd "$(dirname "$0")"
say() { # file text
  flite -voice slt --setf int_f0_target_mean=175 -t "$2" -o "$1.tmp.wav"
  ffmpeg -v error -y -i "$1.tmp.wav" -af "silenceremove=start_periods=1:start_threshold=-45dB,areverse,silenceremove=start_periods=1:start_threshold=-45dB,areverse,aresample=16000,highpass=f=90,apad=pad_dur=0.06" \
    -c:a pcm_s16le -ac 1 -map_metadata -1 -fflags +bitexact -flags +bitexact "$1.wav"
  rm "$1.tmp.wav"
}
for w in left right centre mono surround side rear top front output; do say "$w" "$w"; done
say low "low frequency"
n=0
for w in zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen; do say "$n" "$w"; n=$((n + 1)); done
n=20
for w in twenty thirty forty fifty sixty; do say "$n" "$w"; n=$((n + 10)); done
