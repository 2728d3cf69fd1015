#!/usr/bin/env node
// Starts the program for this system, which came as a package of its own; nothing is fetched.
"use strict";
const { spawn } = require("child_process");

const system = `${process.platform}-${process.arch}`;
const file = process.platform === "win32" ? "redshank.exe" : "redshank";
let program;
try {
  program = require.resolve(`redshank-${system}/${file}`);
} catch {
  console.error(
    `redshank: no program for ${system} is installed\n` +
      "  if optional packages were left out (--omit=optional), install again with them;\n" +
      "  for other systems, build it: cargo install --locked redshank"
  );
  process.exit(2);
}
const running = spawn(program, process.argv.slice(2), { stdio: "inherit" });
// The terminal sends an interrupt to both; what is sent to this process alone is handed on.
process.on("SIGINT", () => {});
for (const signal of ["SIGTERM", "SIGHUP"]) process.on(signal, () => running.kill(signal));
running.on("error", (error) => {
  console.error(`redshank: ${program} can't be started: ${error.message}`);
  process.exit(2);
});
running.on("exit", (code, signal) => {
  if (signal) {
    process.removeAllListeners(signal);
    process.kill(process.pid, signal);
  } else {
    process.exit(code);
  }
});
