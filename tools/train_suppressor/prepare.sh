#!/usr/bin/env bash
# Two environments of their own beside the application's, in build/train/: one that speaks, one that trains. As root it installs the
# Debian packages with further voices. Nothing of this is a dependency of the application.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
at=build/train
mkdir -p "$at"
if [ "$(id -u)" = 0 ]; then
  apt-get update -q
  DEBIAN_FRONTEND=noninteractive apt-get install -y -q ffmpeg flite festival festvox-us-slt-hts \
    espeak-ng asterisk-core-sounds-ru-g722 \
    asterisk-core-sounds-fr-g722 asterisk-core-sounds-it-g722 asterisk-core-sounds-es-g722 asterisk-core-sounds-en-g722
fi
[ -x "$at/voices-env/bin/pip" ] || python3 -m venv "$at/voices-env"
"$at/voices-env/bin/pip" install -q -r tools/train_suppressor/voices.txt
[ -x "$at/torch-env/bin/pip" ] || python3 -m venv "$at/torch-env"
"$at/torch-env/bin/pip" install -q -r tools/train_suppressor/torch.txt
