// Plays the PCM that the server sends. The network delivers in bursts and at the server's clock, the
// sound card takes at its own: a small ring stands between, read at a speed that follows its fill.
const RING_FRAMES = 48000; // a second: far more than is ever allowed to wait
const LEAST_TARGET = 0.03;
const MOST_TARGET = 0.25;
const SOURCE_RATE = 48000;
const FIRST_PATIENCE = 30; // seconds without trouble earn a smaller delay,
const MOST_PATIENCE = 1200; // each time that it was too small twice as many
const MOST_CORRECTION = 0.004; // a change of pitch nobody hears

class Player extends AudioWorkletProcessor {
  constructor() {
    super();
    this.ring = [new Float32Array(RING_FRAMES), new Float32Array(RING_FRAMES)];
    this.written = 0;
    this.position = 0;
    this.isRunning = false;
    this.target = 0.06 * SOURCE_RATE;
    this.meanFill = this.target;
    this.underruns = 0;
    this.overruns = 0;
    this.calmFrames = 0;
    this.patience = FIRST_PATIENCE;
    this.sinceReport = 0;
    this.port.onmessage = (event) => this.take(new Float32Array(event.data));
  }

  take(samples) {
    for (let i = 0; i < samples.length; i += 2) {
      const place = this.written % RING_FRAMES;
      this.ring[0][place] = samples[i];
      this.ring[1][place] = samples[i + 1];
      this.written += 1;
    }
    // After a stall everything comes at once: skip to the wanted delay rather than stay late.
    if (this.fill() > this.target + 0.25 * SOURCE_RATE) {
      this.overruns += 1;
      this.position = this.written - this.target;
      this.meanFill = this.target;
    }
  }

  fill() {
    return this.written - this.position;
  }

  process(_inputs, outputs) {
    const [left, right] = outputs[0];
    const frames = left.length;
    if (!this.isRunning && this.fill() >= this.target) {
      this.isRunning = true;
      this.meanFill = this.fill();
    }
    if (this.isRunning && this.fill() < frames + 4) {
      this.isRunning = false;
      this.underruns += 1;
      this.calmFrames = 0;
      this.patience = Math.min(this.patience * 2, MOST_PATIENCE);
      this.target = Math.min(this.target * 1.5, MOST_TARGET * SOURCE_RATE);
    }
    if (this.isRunning) {
      this.meanFill += (this.fill() - this.meanFill) * 0.02;
      const error = (this.meanFill - this.target) / this.target;
      const correction = Math.max(-MOST_CORRECTION, Math.min(MOST_CORRECTION, error * 0.01));
      const step = (SOURCE_RATE / sampleRate) * (1 + correction);
      for (let n = 0; n < frames; n++) {
        const whole = Math.floor(this.position);
        const part = this.position - whole;
        for (const [channel, out] of [left, right].entries()) {
          if (out) out[n] = this.between(this.ring[channel], whole, part);
        }
        this.position += step;
      }
      this.calmFrames += frames;
      if (this.calmFrames > this.patience * sampleRate) {
        this.calmFrames = 0;
        this.target = Math.max(this.target * 0.8, LEAST_TARGET * SOURCE_RATE);
      }
    }
    this.sinceReport += frames;
    if (this.sinceReport >= sampleRate / 4) {
      this.sinceReport = 0;
      this.port.postMessage({
        fillMs: (1000 * this.fill()) / SOURCE_RATE,
        underruns: this.underruns,
        overruns: this.overruns,
      });
    }
    return true;
  }

  // Third-order Hermite interpolation (Catmull-Rom) between samples 1 and 2 of four.
  between(ring, whole, part) {
    const a = ring[(whole - 1 + RING_FRAMES) % RING_FRAMES];
    const b = ring[whole % RING_FRAMES];
    const c = ring[(whole + 1) % RING_FRAMES];
    const d = ring[(whole + 2) % RING_FRAMES];
    const c1 = 0.5 * (c - a);
    const c2 = a - 2.5 * b + 2 * c - 0.5 * d;
    const c3 = 0.5 * (d - a) + 1.5 * (b - c);
    return ((c3 * part + c2) * part + c1) * part + b;
  }
}

registerProcessor("player", Player);
