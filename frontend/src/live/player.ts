/** What plays the sound that the server sends: it follows the server's clock, and says how it does. */

const CHANNELS = 2;

export type PlayerReport = { fillMs: number; underruns: number; overruns: number };

export async function makeContext(): Promise<AudioContext> {
  const context = new AudioContext({ sampleRate: 48000, latencyHint: "interactive" });
  await context.audioWorklet.addModule("/player.js");
  return context;
}

export function makePlayer(
  context: AudioContext,
  onReport: (report: Partial<PlayerReport>) => void,
): AudioWorkletNode {
  const player = new AudioWorkletNode(context, "player", {
    numberOfInputs: 0,
    outputChannelCount: [CHANNELS],
  });
  player.port.onmessage = (event: MessageEvent<Partial<PlayerReport>>) => onReport(event.data);
  return player;
}
