export const listen = {
  thisAddressIsNotValid: "▲ This address is not valid. Create a new one in Goshawk.",
  level: "Level",
  play: "Play",
  thisBrowserStartsSoundOnly: "This browser starts sound only after a click.",
  goshawkDoesNotAnswerPlayback: "▲ Goshawk does not answer. Playback continues when it does.",
  waitingForSound: "waiting for sound …",
} as const;
