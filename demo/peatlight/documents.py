"""Peatlight's profile documents: the first one for desktops, the one for every platform, and a revision with mistakes in it."""

from __future__ import annotations

FIRST = """# Peatlight's profile document: how the title is built, for every platform.

[title]
name = "Peatlight"
identifier = "example.quillback.peatlight"
studio = "Quillback Works"

[version]
name = "1.4.0"

[content]
include = ["bin/", "data/", "maps/", "locale/", "textures/", "pictures/", "audio/", "addons/", "LICENCE.txt"]
leave_out = ["*.draft.*"]
leave_out_classes = ["source-assets", "symbols", "tools", "logs"]
languages = ["en", "fi", "es"]
language_files = "locale/{language}.json"

[pictures]
icon = "art/icon.png"
opening = "art/opening.png"

[facets.release]
purpose = "release"
storefront = "northquay"
signing.identity = "quillback-2026"

[profiles.linux-release]
facets = ["release"]
platform = "linux"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"
output.bundle = "{title}-{version}-{code}-linux"
content.leave_out = { add = ["bin/*.cmd"] }

[profiles.windows-release]
facets = ["release"]
platform = "windows"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight.cmd"
output.bundle = "{title}-{version}-{code}-windows"

[profiles.linux-testing]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"
content.leave_out = { add = ["bin/*.cmd"] }

[depots.base]
not = ["addons/"]

[depots.winter-timetable]
only = ["addons/winter-timetable/"]
addon = "Winter Timetable"
"""

EVERYWHERE = """# Peatlight's profile document: how the title is built, for every platform.

[title]
name = "Peatlight"
identifier = "example.quillback.peatlight"
studio = "Quillback Works"

[version]
name = "1.5.0"
code = "counter"

[content]
include = ["bin/", "data/", "maps/", "locale/", "textures/", "pictures/", "audio/", "addons/", "LICENCE.txt"]
leave_out = ["*.draft.*"]
leave_out_classes = ["source-assets", "symbols", "tools", "logs"]
# Alder Halt is the title screen.
opening = "maps/alder-halt.heights"
units = [
  "maps/alder-halt.heights",
  "maps/sluice-junction.heights",
  "maps/marrow-bend.heights",
  "maps/kiln-yard.heights",
  "maps/signal-loft.heights",
]
languages = ["en", "fi", "es"]
language_files = "locale/{language}.json"
addons = ["Winter Timetable"]

[display]
resolution = "1920x1080"

[pictures]
icon = "art/icon.png"
icon_background = "#1f1b18"
opening = "art/opening.png"

[toolchain]
name = "lantern-export"
versions = ">=3.2,<4"
licence = "lantern-export studio terms 2026"
export = ["lantern-export", "export", "--platform", "{platform}", "--mode", "{purpose}", "--out", "{out}"]
secrets = ["LANTERN_TOKEN"]
steps = ["fetch", "toolchain", "export", "collect", "check", "bundle", "sign", "depots", "complete"]

[output]
folder = "../out"

[launch]
entry = "bin/peatlight"

# What desktops share.
[facets.desktop]
storefront = "northquay"
code.architectures = ["x86_64"]
code.graphics = ["vulkan", "opengl"]
display.window = "borderless"
display.resizable = true
toolchain.variables = "desktop"

# Phones and tablets: fingers, little space, no addon, and the Signal Loft stays out.
[facets.handheld]
storefront = "mossgate"
code.architectures = ["arm64"]
code.unused_code = "careful"
content.addons = []
content.compression = 12
content.units = { take = ["maps/signal-loft.heights"] }
display.orientation = "landscape"
display.touch_controls = true
system.permissions = { notifications = "To say when the morning thaw begins." }
toolchain.variables = "phones"

[facets.headset]
storefront = "visorfield"
code.ahead_of_time = true
code.architectures = ["arm64"]
code.graphics = ["vulkan"]
code.unused_code = "careful"
content.compression = 9
display.resolution = "1800x1800"
system.minimum = "44"
system.target = "46"
system.features = ["standing-space"]
toolchain.variables = "headsets"

[facets.release]
purpose = "release"
signing.identity = "quillback-2026"

# Built every night and packed fast: testers wait for it.
[facets.nightly]
purpose = "testing"
code.diagnostics = true
content.compression = 1

[profiles.linux-release]
facets = ["desktop", "release"]
platform = "linux"
output.bundle = "{title}-{version}-{code}-linux"
content.leave_out = { add = ["bin/*.cmd"] }

[profiles.windows-release]
facets = ["desktop", "release"]
platform = "windows"
code.graphics = ["direct3d12", "vulkan"]
launch.entry = "bin/peatlight.cmd"
output.bundle = "{title}-{version}-{code}-windows"

[profiles.macos-release]
facets = ["desktop", "release"]
platform = "macos"
code.architectures = ["arm64", "x86_64"]
code.graphics = ["metal"]
content.leave_out = { add = ["bin/*.cmd"] }

[profiles.android-release]
facets = ["handheld", "release"]
platform = "android"
code.graphics = ["vulkan", "opengles"]
output.kind = "aab"
system.minimum = "28"
system.target = "35"

[profiles.ios-release]
facets = ["handheld", "release"]
platform = "ios"
code.ahead_of_time = true
code.graphics = ["metal"]
system.minimum = "15.0"
system.target = "18.0"

[profiles.visor-release]
facets = ["headset", "release"]
platform = "headset"
output.kind = "zip"

[profiles.linux-testing]
facets = ["desktop", "nightly"]
platform = "linux"
content.leave_out = { add = ["bin/*.cmd"] }

[profiles.android-testing]
facets = ["handheld", "nightly"]
platform = "android"
title.identifier = "example.quillback.peatlight.testing"
content.units = { take = ["maps/kiln-yard.heights"] }
output.kind = "apk"
system.minimum = "28"
system.target = "35"

[profiles.windows-development]
facets = ["desktop"]
platform = "windows"
purpose = "development"
code.graphics = ["direct3d12", "vulkan"]
display.window = "window"
launch.entry = "bin/peatlight.cmd"

[depots.base]
not = ["addons/"]

[depots.winter-timetable]
only = ["addons/winter-timetable/"]
addon = "Winter Timetable"
"""

MISTAKES = (
    ("code.ahead_of_time = true\ncode.architectures", "code.architectures"),
    ('code.graphics = ["vulkan"]\n', ""),
    ('system.minimum = "44"\nsystem.target = "46"', 'system.minimum = "42"\nsystem.target = "40"'),
    ("display.touch_controls = true\n", ""),
    ('output.kind = "aab"\nsystem.minimum = "28"\nsystem.target = "35"', 'output.kind = "aab"\nsystem.target = "26"'),
    ('take = ["maps/kiln-yard.heights"]', 'take = ["maps/alder-halt.heights", "maps/kiln-yrad.heights"]'),
    (
        'platform = "windows"\ncode.graphics = ["direct3d12", "vulkan"]\nlaunch',
        'platform = "windows"\ncode.debug_helpers = true\ncode.graphics = ["direct3d12", "metal"]\nlaunch',
    ),
    ('output.bundle = "{title}-{version}-{code}-windows"', 'output.bundle = "{title}-{version}-{code}-linux"'),
    ("# Built every night", '[facets.kiosk]\ndisplay.window = "fullscreen"\n\n# Built every night'),
    ('name = "1.5.0"', 'name = "1.4.0"'),
)


def hurried() -> str:
    """The document for every platform, written on a Friday evening: what the checks then find."""
    text = EVERYWHERE
    for right, wrong in MISTAKES:
        assert right in text, right
        text = text.replace(right, wrong, 1)
    return text


def compiled() -> str:
    """The document in the repository: the program is compiled now, testers' content is baked fast, texts are counted first."""
    text = EVERYWHERE
    for before, after in (
        ('"--out", "{out}"]', EXPORT),
        ('include = ["bin/", ', 'include = ["bin/", "package/", '),
        ("[facets.headset]", FACETS),
        ('output.kind = "aab"\n', 'output.kind = "aab"\nlaunch.entry = "package/base/lib/arm64-v8a/libpeatlight.so"\n'),
        ('output.kind = "apk"\n', 'output.kind = "apk"\nlaunch.entry = "package/lib/arm64-v8a/libpeatlight.so"\n'),
        ('system.minimum = "15.0"\n', 'launch.entry = "package/Peatlight"\nsystem.minimum = "15.0"\n'),
        (
            'facets = ["handheld", "release"]\nplatform = "android"',
            'facets = ["handheld", "release", "phones"]\nplatform = "android"',
        ),
        (
            'facets = ["handheld", "release"]\nplatform = "ios"',
            'facets = ["handheld", "release", "phones"]\nplatform = "ios"',
        ),
        (
            'facets = ["handheld", "nightly"]\nplatform = "android"',
            'facets = ["handheld", "nightly", "phones"]\nplatform = "android"',
        ),
        ("[profiles.windows-development]", MORE_PROFILES),
        (
            'code.architectures = ["x86_64"]\ncode.graphics',
            'code.architectures = ["x86_64"]\nlaunch.self_test = true\ncode.graphics',
        ),
        ('launch.entry = "bin/peatlight.cmd"\noutput', 'launch.entry = "bin/peatlight.exe"\noutput'),
        ('"window"\nlaunch.entry = "bin/peatlight.cmd"', '"window"\nlaunch.entry = "bin/peatlight.exe"'),
        ("[facets.release]\n", RELEASE),
        ("code.diagnostics = true\n", NIGHTLY),
        ("[depots.base]", STEPS + "[depots.base]"),
    ):
        assert before in text, before
        text = text.replace(before, after)
    return text


EXPORT = """"--architectures", "{architectures}",
  "--container", "{kind}", "--identifier", "{identifier}", "--minimum", "{minimum}", "--out", "{out}"]"""
FACETS = """# Phones were signed with lantern-2017 until its certificate neared its end; it handed over.
[facets.phones]
signing.identity = "lantern-2026"

[facets.headset]"""
MORE_PROFILES = """# For the testers' registered handsets: a grant lists them.
[profiles.ios-testing]
facets = ["handheld", "nightly", "phones"]
platform = "ios"
code.ahead_of_time = true
code.graphics = ["metal"]
launch.entry = "package/Peatlight"
system.minimum = "15.0"
system.target = "18.0"

# Made in a hurry for the fair, and signed with the phones' identity: the storefront knows Peatlight by another.
[profiles.linux-fair]
facets = ["desktop", "release", "phones"]
platform = "linux"
output.bundle = "{title}-{version}-{code}-fair"
content.leave_out = { add = ["bin/*.cmd"] }

[profiles.windows-development]"""
RELEASE = """[facets.release]
toolchain.steps = [
  "fetch", "count-texts", "toolchain", "export", "collect", "check", "bundle", "sign", "depots", "complete",
]
"""
NIGHTLY = """code.diagnostics = true
toolchain.export = [
  "lantern-export", "export", "--platform", "{platform}", "--mode", "{purpose}",
  "--architectures", "{architectures}", "--quality", "preview",
  "--container", "{kind}", "--identifier", "{identifier}", "--minimum", "{minimum}", "--out", "{out}",
]
toolchain.steps = { add = ["notify"] }
"""
STEPS = """# Translators forget a line now and then: counted before the export, which takes longer.
[steps.count-texts]
command = ["python3", "tools/count_texts.py"]
seconds = 60

[steps.export]
seconds = 900
silent = 30
memory = 1024

[steps.notify]
when = "always"

"""


POCKET = """# The phone companion, here as a small desktop title to try things on.

[title]
name = "Peatlight Pocket"
identifier = "example.quillback.peatlight.pocket"
studio = "Quillback Works"

[version]
name = "0.3.0"

[content]
include = ["bin/", "maps/", "locale/"]
leave_out_classes = ["source-assets", "symbols"]

[signing]
identity = "pocket-2026"

[profiles.linux-release]
platform = "linux"
purpose = "release"
code.architectures = ["x86_64"]
launch.entry = "bin/pocket"

[profiles.windows-release]
platform = "windows"
purpose = "release"
code.architectures = ["x86_64"]
launch.entry = "bin/pocket.cmd"

[depots.base]
not = ["locale/"]

[depots.languages]
only = ["locale/"]
"""


CHECKLISTS = """\
# What whoever plays a build looks at. Points may be said in several languages.

[checklists.night]
title = "One night on the bog"
platforms = ["linux", "windows", "macos"]
purposes = ["testing", "release"]

[[checklists.night.points]]
name = "title-screen"
text = { en = "Alder Halt shows within five seconds.", fi = "Alder Halt näkyy viidessä sekunnissa.", \
es = "Alder Halt aparece en cinco segundos." }

[[checklists.night.points]]
name = "fog"
text = { en = "The fog at Marrow Bend hides the wagons, and the lanterns show through it.", \
fi = "Marrow Bendin sumu peittää vaunut, ja lyhdyt näkyvät sen läpi." }
picture = true

[[checklists.night.points]]
name = "thaw"
text = { en = "The thaw gate at Sluice Junction opens at dawn.", fi = "Sluice Junctionin portti aukeaa aamulla." }

[checklists.pocket]
title = "A night in the hand"
platforms = ["android", "ios"]

[[checklists.pocket.points]]
name = "touch"
text = { en = "Wagons follow the finger, also at the edge of the screen.", fi = "Vaunut seuraavat sormea reunassakin." }

[checklists.visor]
title = "A night around the head"
platforms = ["headset"]

[[checklists.visor.points]]
name = "horizon"
text = { en = "The horizon stays level while the head turns.", fi = "Horisontti pysyy suorassa, kun pää kääntyy." }
"""
