/**
 * A number of pods, or a share of so many. Sources: "Deployments", "DaemonSet", "Specifying a Disruption Budget"; each rounds its own way.
 * @param setting a number, or a percentage such as "25%"
 */
export const shareOf = (setting: string | number, of: number, round: (n: number) => number): number =>
  typeof setting === 'number' ? setting : round((of * Number(setting.replace('%', ''))) / 100);
