#!/usr/bin/env bash
# Speaks the lines of the demo scenario and packs them as FLAC, 48 kHz, 16 bit, mono. Run by hand when a line changes;
# the results are kept in the repository. Needs flite, espeak-ng and ffmpeg from Debian's packages.
set -euo pipefail
cd "$(dirname "$0")"
say() { # file voice pitch-mean stretch text
  flite -voice "$2" --setf int_f0_target_mean="$3" --setf duration_stretch="$4" -t "$5" -o "$1.wav"
  ffmpeg -v error -y -i "$1.wav" -af "aresample=48000,highpass=f=70" -sample_fmt s16 -ac 1 -map_metadata -1 -compression_level 12 "$1.flac"
  rm "$1.wav"
}
say ines-1 slt 185 1.05 "Last crossing, Tobiah. Is the cable wet?"
say tobiah-1 rms 95 1.05 "Wet enough. She will hold, if you keep her slow."
say ines-2 slt 180 1.05 "I have kept her slow for thirty years."
say tobiah-2 rms 92 1.10 "Then one more night will not hurt."
say ines-false slt 188 1.00 "Last crossing, Toby. Oh, sorry. Once more, please."
say dispatcher-1 awb 120 1.00 "Lantern Ferry, this is the north landing. We have your light."
say ines-3 slt 185 1.00 "North landing, we are casting off now."
say dispatcher-2 awb 118 1.00 "Understood. Mind the fog below the ramp."
say tobiah-3 rms 98 1.00 "Chain is clear. Let the winch run."
say ines-4 slt 182 1.00 "Winch is running. Ring the bell, Tobiah."
say tobiah-4 rms 90 1.15 "One bell for the river, and one for us."
narrate() { # file voice speed pitch text
  espeak-ng -v "$2" -s "$3" -p "$4" -w "$1.wav" "$5"
  ffmpeg -v error -y -i "$1.wav" -af "aresample=48000,highpass=f=70" -sample_fmt s16 -ac 1 -map_metadata -1 -compression_level 12 "$1.flac"
  rm "$1.wav"
}
say narrator-en kal16 100 1.10 "The last night of the cable ferry. Two people, one lantern, and a river that does not wait."
narrate narrator-pt pt 140 35 "A última noite da balsa. Duas pessoas, uma lanterna, e um rio que não espera."
