// Gathers the first channel of the input and hands it over in pieces of the length that was asked for.
class Gatherer extends AudioWorkletProcessor {
  constructor(options) {
    super();
    this.piece = new Float32Array(Math.round(sampleRate * options.processorOptions.seconds));
    this.filled = 0;
  }

  process(inputs) {
    const channel = inputs[0]?.[0];
    if (!channel) return true;
    let at = 0;
    while (at < channel.length) {
      const count = Math.min(channel.length - at, this.piece.length - this.filled);
      this.piece.set(channel.subarray(at, at + count), this.filled);
      this.filled += count;
      at += count;
      if (this.filled === this.piece.length) {
        this.port.postMessage(this.piece);
        this.piece = new Float32Array(this.piece.length);
        this.filled = 0;
      }
    }
    return true;
  }
}

registerProcessor('gatherer', Gatherer);
