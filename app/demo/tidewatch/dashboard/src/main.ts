import { describe, type Gauge } from "./gauge";

const gauges: Gauge[] = [
  { name: "North jetty", level: 2.31 },
  { name: "Ferry steps", level: 1.98 },
];

const list = document.querySelector("#gauges");
for (const gauge of gauges) {
  const line = document.createElement("p");
  line.textContent = describe(gauge);
  list?.append(line);
}
