/** The small published bundle brings no types; these are of what is used of it. */
declare module 'plotly.js-basic-dist-min' {
  export interface Plotly {
    react(
      host: HTMLElement,
      data: readonly object[],
      layout: Readonly<Record<string, unknown>>,
      config: Readonly<Record<string, unknown>>,
    ): Promise<unknown>;
    purge(host: HTMLElement): void;
  }
  const plotly: Plotly;
  export default plotly;
}
