#!/usr/bin/env bash
# Compiles the core's inner loops, for every processor of this kind; again only where source or compiler changed.
set -euo pipefail
cd "$(dirname "$0")/../gullywind/core/native"
stamp=../../../.local/stamps
mkdir -p "$stamp"
# Sums may be reordered, so that they fill the processor's lanes; infinities and NaN stay what they are.
flags="-std=gnu11 -O3 -fno-math-errno -fno-trapping-math -fno-signed-zeros -fassociative-math
  -freciprocal-math -Wall -Wextra -Werror -shared -fPIC"
sum=$( (cat kernels.c; cc --version; echo "$flags $(uname -m)") | sha256sum | cut -c1-16)
[ -e libkernels.so ] && [ -e "$stamp/kernels-$sum" ] && exit 0
# shellcheck disable=SC2086
cc $flags kernels.c -o libkernels.so.part -lm
mv libkernels.so.part libkernels.so
rm -f "$stamp"/kernels-*
touch "$stamp/kernels-$sum"
