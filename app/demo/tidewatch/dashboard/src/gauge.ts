/** A gauge and the water above it, in metres. */
export interface Gauge {
  name: string;
  level: number;
}

/** The line that the page shows for a gauge. */
export function describe(gauge: Gauge): string {
  return `${gauge.name}: ${gauge.level.toFixed(2)} m`;
}
