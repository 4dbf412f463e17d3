// Hands the microphone's sound to the page in pieces of about 10 ms, interleaved.
const PIECE_FRAMES = 512;

class Microphone extends AudioWorkletProcessor {
  constructor() {
    super();
    this.piece = new Float32Array(PIECE_FRAMES * 2);
    this.frames = 0;
  }

  process(inputs) {
    const [left, right] = inputs[0];
    if (!left) return true;
    for (let n = 0; n < left.length; n++) {
      this.piece[2 * this.frames] = left[n];
      this.piece[2 * this.frames + 1] = (right ?? left)[n];
      this.frames += 1;
      if (this.frames === PIECE_FRAMES) {
        this.port.postMessage(this.piece.buffer, [this.piece.buffer]);
        this.piece = new Float32Array(PIECE_FRAMES * 2);
        this.frames = 0;
      }
    }
    return true;
  }
}

registerProcessor("microphone", Microphone);
