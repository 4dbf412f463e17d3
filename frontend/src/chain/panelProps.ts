/** What a stage's panel gets: its id, and the meter of the station before it. */
export type PanelProps = { id: string; before: string };
