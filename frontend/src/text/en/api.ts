export const api = {
  goshawkAnsweredWithErrorStatus: "Goshawk answered with error {status, number}. Try again.",
  goshawkDoesNotAnswerCheck: "Goshawk does not answer. Check that it is running, then try again.",
  theUploadWasInterruptedTry: "The upload was interrupted. Try again.",
} as const;
