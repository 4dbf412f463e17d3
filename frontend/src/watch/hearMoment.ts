/** Plays what was said around a moment, from the evening's recording, in this page alone. */

import { fetchRecordings, type RecordingDetail, type RecordingState } from "../api/client";
import { hear, openRecording, play, seek } from "../live/recordingPlayer";
import { say } from "../live/store";

const LEAD_S = 4;

/** `startedUtc` is when the evening began; the recording may have begun at another time. */
export async function hearMoment(
  recording: string,
  startedUtc: string,
  atS: number,
  running: RecordingState | null,
) {
  if (!recording) {
    say("news", "Nothing was recorded of it. Switch on “Record too” to hear moments again.");
    return;
  }
  try {
    const one = await fetchRecordings<RecordingDetail>(`/${recording}`);
    const offset = (new Date(one.started_utc).getTime() - new Date(startedUtc).getTime()) / 1000;
    const length = running?.id === recording ? running.seconds : one.seconds;
    const at = atS - offset - LEAD_S;
    if (at > length) {
      say("news", "That moment was not recorded.");
      return;
    }
    openRecording(recording, length);
    hear({ way: "was", source: "", piece: null, isLooping: false });
    seek(Math.max(0, at));
    play();
  } catch (error) {
    say("trouble", error instanceof Error ? error.message : "It could not be played.");
  }
}
