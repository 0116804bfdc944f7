#!/usr/bin/env bash
# Builds firnel_VERSION_ARCH.deb in dist/, with Debian's own tools: ./run deb
# Firnel and the packages of requirements.lock lie in a folder of their own, for the Python that builds it; nothing else is touched.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
python=${1:?which Python}
version=$("$python" -c 'import firnel; print(firnel.__version__)')
minor=$("$python" -c 'import sys; print(sys.version_info.minor)')
arch=$(dpkg --print-architecture)
root=$(mktemp -d)
trap 'rm -rf "$root"' EXIT
inside=$root/usr/lib/firnel
install -d "$root/DEBIAN" "$inside" "$root/usr/bin" dist

"$python" -m pip install --quiet --disable-pip-version-check --require-hashes --no-deps --target "$inside" -r requirements.lock
# By Firnel's own setup alone: its tests, tools and what only they need stay outside.
"$python" -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --target "$inside" .
"$python" packaging/lean.py "$inside"

cat >"$root/usr/bin/firnel" <<'END'
#!/usr/bin/python3 -I
import sys

sys.path.insert(0, "/usr/lib/firnel")
from firnel.app.start import main

main()
END
chmod 755 "$root/usr/bin/firnel"

share=$root/usr/share
install -Dm644 packaging/org.firnel.Firnel.desktop -t "$share/applications"
install -Dm644 packaging/org.firnel.Firnel.metainfo.xml -t "$share/metainfo"
install -Dm644 packaging/org.firnel.Firnel.mime.xml "$share/mime/packages/org.firnel.Firnel.xml"
install -Dm644 packaging/org.firnel.Firnel-symbolic.svg -t "$share/icons/hicolor/symbolic/apps"
install -Dm644 src/firnel/resources/icons/firnel.svg "$share/icons/hicolor/scalable/apps/org.firnel.Firnel.svg"
QT_QPA_PLATFORM=offscreen "$python" tools/draw_icons.py "$share/icons/hicolor"
install -d "$share/man/man1"
"$python" tools/man_page.py | gzip -9n >"$share/man/man1/firnel.1.gz"
install -d "$share/bash-completion/completions" "$share/zsh/vendor-completions" "$share/fish/vendor_completions.d"
_FIRNEL_COMPLETE=bash_source "$(dirname "$python")/firnel" >"$share/bash-completion/completions/firnel"
_FIRNEL_COMPLETE=zsh_source "$(dirname "$python")/firnel" >"$share/zsh/vendor-completions/_firnel"
_FIRNEL_COMPLETE=fish_source "$(dirname "$python")/firnel" >"$share/fish/vendor_completions.d/firnel.fish"
install -Dm644 LICENSE "$share/doc/firnel/copyright"
cat NOTICE.md >>"$share/doc/firnel/copyright"

cat >"$root/DEBIAN/control" <<END
Package: firnel
Version: $version
Architecture: $arch
Maintainer: The Firnel team <firnel@localhost>
Section: science
Priority: optional
Installed-Size: $(du -sk "$root" | cut -f1)
Depends: python3 (>= 3.$minor), python3 (<< 3.$((minor + 1))), libegl1, libgl1, libxkbcommon0, libxkbcommon-x11-0, libdbus-1-3,
 libfontconfig1, libglib2.0-0, libxcb-cursor0, libxcb-icccm4, libxcb-image0, libxcb-keysyms1, libxcb-randr0, libxcb-render-util0,
 libxcb-shape0, libxcb-xinerama0, libxcb-xkb1, libpulse0
Recommends: shared-mime-info, desktop-file-utils, hicolor-icon-theme
Description: Plan, drive, record and replicate coffee roasts
 Firnel learns a drum roaster from its own logs, plans a batch, says what is
 next and where it will land, keeps the records and plans the day.
 It reads and advises; it never commands a burner.
END
cat >"$root/DEBIAN/postinst" <<'END'
#!/bin/sh
set -e
if [ "$1" = configure ]; then
    python3 -m compileall -q /usr/lib/firnel >/dev/null 2>&1 || true # it starts without that too, only slower
fi
END
cat >"$root/DEBIAN/prerm" <<'END'
#!/bin/sh
set -e
find /usr/lib/firnel -name __pycache__ -type d -prune -exec rm -rf {} +
END
chmod 755 "$root/DEBIAN/postinst" "$root/DEBIAN/prerm"
find "$root/usr" -name __pycache__ -type d -prune -exec rm -rf {} +
dpkg-deb --root-owner-group -Zgzip -z6 --build "$root" "dist/firnel_${version}_${arch}.deb"
