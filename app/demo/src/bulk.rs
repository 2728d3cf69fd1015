//! What builds, package managers and the boat's echo sounder leave: thousands of files.

use super::Layout;
use anyhow::Result;

/// Numbers that look random and are the same every time (SplitMix64).
pub(super) struct Dice(pub(super) u64);

impl Dice {
    pub(super) fn roll(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    pub(super) fn bytes(&mut self, length: usize) -> Vec<u8> {
        std::iter::repeat_with(|| self.roll().to_le_bytes())
            .flatten()
            .take(length)
            .collect()
    }

    /// A name out of syllables.
    fn word(&mut self) -> String {
        const SYLLABLES: [&str; 12] = [
            "mu", "flo", "ber", "tan", "kel", "ri", "sa", "wen", "dor", "li", "qua", "spi",
        ];
        (0..2 + self.roll() % 2)
            .map(|_| SYLLABLES[(self.roll() % 12) as usize])
            .collect()
    }

    /// So many lines of a script.
    fn script(&mut self, lines: u64) -> String {
        (0..lines)
            .map(|line| {
                format!(
                    "export const {}{line} = {};\n",
                    self.word(),
                    self.roll() % 1000
                )
            })
            .collect()
    }
}

/// The tag of a cache folder, by the cache directory tagging standard.
const CACHE_TAG: &str =
    "Signature: 8a477f597d28d172789f06886806bc55\n# This folder can be made again.\n";

/// The first bytes of a program for Linux.
const PROGRAM: &[u8] = b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0";

pub(super) fn lay_out(layout: &mut Layout) -> Result<()> {
    rust_build(layout)?;
    python(layout)?;
    node(layout)?;
    cmake_build(layout)?;
    engine(layout)?;
    gradle(layout)?;
    soundings(layout)
}

fn program(dice: &mut Dice, length: usize) -> Vec<u8> {
    [PROGRAM, &dice.bytes(length)].concat()
}

fn rust_build(layout: &mut Layout) -> Result<()> {
    let mut dice = Dice(1);
    layout.put("gateway/target/CACHEDIR.TAG", CACHE_TAG)?;
    layout.put("gateway/target/debug/gateway", program(&mut dice, 400_000))?;
    for _ in 0..120 {
        let hash = dice.roll();
        layout.put(
            &format!(
                "gateway/target/debug/deps/lib{}-{hash:016x}.rlib",
                dice.word()
            ),
            dice.bytes(9_000),
        )?;
    }
    Ok(())
}

fn python(layout: &mut Layout) -> Result<()> {
    let mut dice = Dice(2);
    let environment = "analysis/slackwater";
    layout.put(
        &format!("{environment}/pyvenv.cfg"),
        "home = /usr/bin\nversion = 3.11.7\n",
    )?;
    layout.put(
        &format!("{environment}/bin/python"),
        program(&mut dice, 20_000),
    )?;
    for nth in 0..40 {
        let package = format!(
            "{environment}/lib/python3.11/site-packages/{}{nth}",
            dice.word()
        );
        for module in 0..20 {
            let name = dice.word();
            layout.put(
                &format!("{package}/{name}{module}.py"),
                format!("{name} = {}\n", dice.roll()).repeat(40),
            )?;
        }
    }
    for module in ["__init__", "harmonics"] {
        layout.put(
            &format!("analysis/tides/__pycache__/{module}.cpython-311.pyc"),
            dice.bytes(1_500),
        )?;
    }
    layout.put("analysis/.pytest_cache/CACHEDIR.TAG", CACHE_TAG)?;
    layout.put("analysis/.pytest_cache/v/cache/lastfailed", "{}")?;
    layout.put(
        "analysis/levels.sqlite3",
        [b"SQLite format 3\0", &dice.bytes(90_000)[..]].concat(),
    )
}

fn node(layout: &mut Layout) -> Result<()> {
    let mut dice = Dice(3);
    for nth in 0..150 {
        let name = format!("{}{nth}", dice.word());
        let package = format!("dashboard/node_modules/{name}");
        layout.put(
            &format!("{package}/package.json"),
            format!("{{\"name\": \"{name}\", \"version\": \"1.0.{nth}\"}}\n"),
        )?;
        for file in 0..14 {
            layout.put(
                &format!("{package}/lib/{}{file}.js", dice.word()),
                dice.script(30),
            )?;
        }
    }
    layout.put(
        "dashboard/dist/index.html",
        "<!doctype html><title>Tidewatch</title>\n",
    )?;
    layout.put("dashboard/dist/assets/index-4f2c.js", dice.script(400))
}

fn cmake_build(layout: &mut Layout) -> Result<()> {
    let mut dice = Dice(4);
    layout.put(
        "firmware/build/CMakeCache.txt",
        "CMAKE_PROJECT_NAME:STATIC=gauge\n",
    )?;
    for source in ["main", "pressure"] {
        layout.put(
            &format!("firmware/build/CMakeFiles/gauge.dir/src/{source}.c.o"),
            program(&mut dice, 4_000),
        )?;
    }
    layout.put("firmware/build/gauge", program(&mut dice, 16_000))
}

fn engine(layout: &mut Layout) -> Result<()> {
    let mut dice = Dice(5);
    let project = "exhibit/Lagoon";
    let picture = [b"\x89PNG\r\n\x1a\n", &dice.bytes(30_000)[..]].concat();
    layout.put(&format!("{project}/Assets/Textures/mudflat.png"), picture)?;
    layout.put(
        &format!("{project}/Assets/Bought/lightship.fbx"),
        dice.bytes(70_000),
    )?;
    for asset in [
        "Bought",
        "Bought/lightship.fbx",
        "Textures",
        "Textures/mudflat.png",
    ] {
        let companion = format!(
            "fileFormatVersion: 2\nguid: {:016x}{:016x}\n",
            dice.roll(),
            dice.roll()
        );
        layout.put(&format!("{project}/Assets/{asset}.meta"), companion)?;
    }
    for _ in 0..1_500 {
        let (a, b) = (dice.roll(), dice.roll());
        let path = format!(
            "{project}/Library/Artifacts/{:02x}/{a:016x}{b:016x}",
            a & 0xff
        );
        layout.put(&path, dice.bytes(600))?;
    }
    layout.put(&format!("{project}/Temp/UnityLockfile"), "")?;
    layout.put(
        &format!("{project}/Logs/shadercompiler.log"),
        "compiled 12 shaders\n",
    )?;
    layout.put(
        &format!("{project}/UserSettings/EditorUserSettings.asset"),
        "%YAML 1.1\n",
    )?;
    layout.put(
        &format!("{project}/Assembly-CSharp.csproj"),
        "<Project ToolsVersion=\"4.0\" />\n",
    )?;
    layout.put(
        &format!("{project}/Lagoon.sln"),
        "Microsoft Visual Studio Solution File\n",
    )
}

fn gradle(layout: &mut Layout) -> Result<()> {
    let mut dice = Dice(6);
    let archive = [b"PK\x03\x04", &dice.bytes(43_000)[..]].concat();
    layout.put("kiosk/gradle/wrapper/gradle-wrapper.jar", archive)?;
    layout.put(
        "kiosk/.gradle/8.10/checksums/checksums.lock",
        dice.bytes(17),
    )?;
    layout.put(
        "kiosk/build/classes/java/main/org/tidewatch/kiosk/Kiosk.class",
        dice.bytes(900),
    )?;
    layout.put("kiosk/build/libs/kiosk.jar", dice.bytes(1_400))
}

fn soundings(layout: &mut Layout) -> Result<()> {
    const MEBIBYTE: u64 = 1 << 20;
    for (day, size) in [("2026-03-20", 12), ("2026-03-21", 31), ("2026-03-22", 104)] {
        let start = format!("ECHO {day} north channel\n");
        layout.put_sized(
            &format!("soundings/{day}.raw"),
            start.as_bytes(),
            size * MEBIBYTE,
        )?;
    }
    Ok(())
}
