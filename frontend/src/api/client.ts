/** Types of the server's interface (generated from its OpenAPI document) and calls to it. */

import type { components } from "./schema.gen";
import { fromServer, t } from "../text/text";

type Schemas = components["schemas"];
export type State = Schemas["State"];
export type StateTried = Schemas["StateTried"];
export type Rig = Schemas["Rig"];
export type Slot = Rig["inputs"][number]["chain"][number];
export type EqSettings = Schemas["EqualiserSettings"];
export type Readings = Schemas["Readings"];
export type History = Schemas["History"];
export type Anchor = Schemas["Anchor"];
export type RecordedPart = Schemas["RecordedPart"];
export type Levels = Schemas["Levels"];
export type Lamps = Schemas["Lamps"];
export type Reaches = Lamps["reach"];
export type StageReading = Schemas["StageReading"];
export type DeviceInfo = Schemas["DeviceInfo"];
/** Something that can be made to go wrong with a stand-in. */
export type FaultInfo = Schemas["FaultInfo"];
export type StationLevels = Schemas["StationLevels"];
export type Notice = Schemas["Notice"];
export type Refusal = Schemas["Refusal"];
export type FromPage = Schemas["FromPage"];
export type StoredSoundFile = Schemas["StoredSoundFile"];
export type InputSettings = Rig["inputs"][number];
export type Role = InputSettings["role"];
export type SendSettings = InputSettings["sends"]["viewers"];
export type FeedName = keyof Schemas["Feeds"] & keyof State["sentences"];
export type FeedSettings = Rig["feeds"]["viewers"];
export type OutputSettings = Rig["outputs"][number];
export type OutputStatus = Schemas["OutputStatus"];
export type Program = Schemas["Program"];
export type Finding = Schemas["Finding"];
export type Mend = Schemas["Mend"];
export type GainAdvice = Schemas["GainAdvice"];
export type DeviceStatus = Schemas["DeviceStatus"];
export type BufferTrial = Schemas["BufferTrial"];
export type GateWork = Schemas["GateWork"];
export type Spectra = Schemas["Spectra"];
export type AddressInfo = Schemas["AddressInfo"];
export type PresetInfo = Schemas["PresetInfo"];
export type LoopState = Schemas["LoopState"];
export type SoundCheck = Schemas["SoundCheckState"];
export type TakeKind = Schemas["TakeFigures"]["kind"];
export type TakeState = Schemas["TakeState"];
export type Outcome = Schemas["Outcome"];
export type Advice = Schemas["AdviceShown"];
export type Wish = SoundCheck["wish"];
export type Balance = Schemas["BalanceState"];
export type BandSight = Schemas["BandSight"];
export type MixFigures = Schemas["MixFigures"];
export type ReplayState = Balance["replay"];
export type Improvement = Schemas["Improvement"];
export type RecordingState = Schemas["RecordingState"];
export type KeptRecording = Schemas["KeptRecording"];
export type RecordingDetail = Schemas["RecordingDetail"];
export type Mark = Schemas["Mark"];
export type Overview = Schemas["Overview"];
export type HandOver = Schemas["HandOver"];
export type HandOverWish = Schemas["HandOverWish"];
export type Piece = Schemas["PieceUse"];
export type WatchState = Schemas["WatchState"];
export type WatchEvent = Schemas["Event"];
export type BeforeItem = Schemas["Item"];
export type KeptEvening = Schemas["KeptEvening"];
export type EveningReport = Schemas["EveningReport"];
export type LanesData = Schemas["DrawnLanes"];
export type DrawnLane = Schemas["Lane"];
export type FromServer =
  | State
  | StateTried
  | Readings
  | History
  | Levels
  | Lamps
  | Spectra
  | SoundCheck
  | Balance
  | RecordingState
  | WatchState
  | Notice
  | Refusal;

/** JSON Schema as far as we read it. */
export type JsonSchema = {
  $ref?: string;
  $defs?: Record<string, JsonSchema>;
  properties?: Record<string, JsonSchema>;
  items?: JsonSchema;
  discriminator?: { mapping: Record<string, string> };
  title?: string;
  description?: string;
  default?: unknown;
  minimum?: number;
  maximum?: number;
  enum?: (string | number)[];
  unit?: string;
  step?: number;
  taper?: "linear" | "log";
  reads?: [number, string][];
};

export type SettingsSchema = Omit<Schemas["SettingsSchema"], "schema"> & { schema: JsonSchema };

/** The body of a reply; its type is the interface's word for it. */
async function body<Kind>(reply: Response): Promise<Kind> {
  return fromServer(await reply.json());
}

/** The sentence of a problem document, or of a reply that is none. */
async function reason(reply: Response): Promise<string> {
  try {
    return (await body<{ detail: string }>(reply)).detail;
  } catch {
    return t("api.goshawkAnsweredWithErrorStatus", { status: reply.status });
  }
}

/** The answer to a request. Throws the server's sentence, or one that says that there is no server. */
export async function answerOf(path: string, asked?: RequestInit): Promise<Response> {
  const reply = await fetch(path, asked).catch(() => {
    throw new Error(t("api.goshawkDoesNotAnswerCheck"));
  });
  if (!reply.ok) throw new Error(await reason(reply));
  return reply;
}

export const fetchSchema = async (): Promise<SettingsSchema> => body(await answerOf("/api/schema"));

/** Upload a sound file; `onProgress` hears a share from 0 to 1. Rejects with the server's sentence. */
export function uploadSoundFile(
  file: File,
  onProgress: (share: number) => void,
): Promise<StoredSoundFile> {
  return new Promise((resolve, reject) => {
    const refuse = (said: string) => reject(new Error(said));
    const request = new XMLHttpRequest();
    request.open("POST", `/api/sound-files?name=${encodeURIComponent(file.name)}`);
    request.upload.onprogress = (event) => onProgress(event.loaded / event.total);
    request.onerror = () => refuse(t("api.theUploadWasInterruptedTry"));
    request.onload = () => {
      if (request.status === 201) resolve(JSON.parse(request.responseText));
      else reason(new Response(request.responseText, request)).then(refuse, refuse);
    };
    request.send(file);
  });
}

/** Throws the server's sentence. */
export const removeSoundFile = (id: string) => send(`/api/sound-files/${id}`, "DELETE");

/** Throws the server's sentence. */
export const replaySoundFile = () => send("/api/sound-files/replay", "POST");

/** A request about presets; what comes of it shows in the next state. Throws the server's sentence. */
export const askPresets = (path: string, method: Method, body?: object | Blob) =>
  send(`/api/presets${path}`, method, body);

/** A request about the sound check; what comes of it shows on the live link. Throws the server's sentence. */
export const askSoundCheck = (path: string, method: Method, body?: object | Blob) =>
  send(`/api/sound-check${path}`, method, body);

/** A new address: its token is in the answer, and nowhere else. Throws the server's sentence. */
export async function makeAddress(name: string): Promise<Schemas["MadeAddress"]> {
  return body(
    await answerOf("/api/addresses", {
      method: "POST",
      body: JSON.stringify({ name }),
      headers: { "Content-Type": "application/json" },
    }),
  );
}

/** Whoever hears by it hears no more. Throws the server's sentence. */
export const takeAddressBack = (id: string) => send(`/api/addresses/${id}`, "DELETE");

/** Something about recordings as the server has it. Throws its sentence. */
export async function fetchRecordings<Kind>(path: string): Promise<Kind> {
  return body<Kind>(await answerOf(`/api/recordings${path}`));
}

/** A request about recordings. Throws the server's sentence. */
export const askRecordings = (path: string, method: Method, body?: object) =>
  send(`/api/recordings${path}`, method, body);

/** Something about evenings as the server has it. Throws its sentence. */
export async function fetchEvenings<Kind>(path: string): Promise<Kind> {
  return body<Kind>(await answerOf(`/api/evenings${path}`));
}

/** A request about evenings. Throws the server's sentence. */
export const askEvenings = (path: string, method: Method, body?: object) =>
  send(`/api/evenings${path}`, method, body);

type Method = "POST" | "PUT" | "PATCH" | "DELETE";

async function send(path: string, method: Method, body?: object | Blob): Promise<void> {
  const isBlob = body instanceof Blob;
  await answerOf(path, {
    method,
    ...(body && {
      body: isBlob ? body : JSON.stringify(body),
      headers: { "Content-Type": isBlob ? "application/octet-stream" : "application/json" },
    }),
  });
}
