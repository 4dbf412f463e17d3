/** What is asked of the server over HTTP: its sentence is what is told, and where there is no server, that. */

import { afterEach, describe, expect, it, vi } from "vitest";
import {
  answerOf,
  askPresets,
  fetchRecordings,
  makeAddress,
  removeSoundFile,
  uploadSoundFile,
} from "./client";
import { did, tell, useLive } from "../live/store";

const asked: [string, RequestInit | undefined][] = [];

function serverThatSays(status: number, text: string) {
  asked.length = 0;
  vi.stubGlobal("fetch", (path: string, more?: RequestInit) => {
    asked.push([path, more]);
    return Promise.resolve(new Response(text, { status }));
  });
}

afterEach(() => void vi.unstubAllGlobals());

describe("a request", () => {
  it("gives what the server has", async () => {
    serverThatSays(200, '[{"id":"one"}]');
    expect(await fetchRecordings("")).toEqual([{ id: "one" }]);
    serverThatSays(201, '{"token":"t"}');
    expect(await makeAddress("Player")).toEqual({ token: "t" });
    expect(asked[0]?.[1]?.body).toBe('{"name":"Player"}');
  });

  it("sends settings as JSON and files as they are", async () => {
    serverThatSays(200, "");
    await askPresets("", "POST", { name: "Mine" });
    await askPresets("/import", "POST", new Blob(["x"]));
    await removeSoundFile("a");
    expect(asked.map(([path, more]) => [path, more?.method])).toEqual([
      ["/api/presets", "POST"],
      ["/api/presets/import", "POST"],
      ["/api/sound-files/a", "DELETE"],
    ]);
    const kinds = asked.map(([, more]) => new Headers(more?.headers).get("Content-Type"));
    expect(kinds).toEqual(["application/json", "application/octet-stream", null]);
  });

  it("that is refused tells the server's sentence, whatever it is", async () => {
    serverThatSays(409, '{"detail":"Stop the recording first."}');
    await expect(answerOf("/api/x")).rejects.toThrow("Stop the recording first.");
    serverThatSays(502, "<html>");
    await expect(answerOf("/api/x")).rejects.toThrow("Goshawk answered with error 502. Try again.");
  });

  it("that reaches nobody says so, and what to do", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("Failed to fetch")));
    await expect(askPresets("", "POST", {})).rejects.toThrow(/^Goshawk does not answer\. Check/);
    useLive.setState({ messages: [] });
    expect(await did(removeSoundFile("a"))).toBe(false);
    expect(useLive.getState().messages[0]?.text).toMatch(/^Goshawk does not answer/);
    tell("no error at all");
    expect(useLive.getState().messages.at(-1)?.text).toBe("The change was not made. Try again.");
    serverThatSays(200, "");
    expect(await did(removeSoundFile("a"))).toBe(true);
  });
});

/** An upload that the test lets go on. */
class Upload {
  static newest: Upload;
  status = 0;
  responseText = "";
  upload = { onprogress: null as ((at: { loaded: number; total: number }) => void) | null };
  onerror = () => undefined as unknown;
  onload = () => undefined as unknown;
  constructor() {
    Upload.newest = this;
  }
  open = () => undefined;
  send = () => undefined;
  end(status: number, text: string) {
    Object.assign(this, { status, responseText: text });
    this.onload();
  }
}

describe("an upload", () => {
  const begin = () => {
    vi.stubGlobal("XMLHttpRequest", Upload);
    const shares: number[] = [];
    const done = uploadSoundFile(new File(["x"], "a b.wav"), (share) => shares.push(share));
    return { shares, done, upload: Upload.newest };
  };

  it("says how far it is, and gives what is kept", async () => {
    const { shares, done, upload } = begin();
    upload.upload.onprogress?.({ loaded: 1, total: 4 });
    upload.end(201, '{"id":"kept"}');
    expect(await done).toEqual({ id: "kept" });
    expect(shares).toEqual([0.25]);
  });

  it("ends with a sentence, whatever comes", async () => {
    const refused = begin();
    refused.upload.end(422, '{"detail":"It cannot be read as sound."}');
    await expect(refused.done).rejects.toThrow("It cannot be read as sound.");
    const broken = begin();
    broken.upload.end(502, "<html>");
    await expect(broken.done).rejects.toThrow("Goshawk answered with error 502. Try again.");
    const off = begin();
    off.upload.onerror();
    await expect(off.done).rejects.toThrow("The upload was interrupted. Try again.");
  });
});
