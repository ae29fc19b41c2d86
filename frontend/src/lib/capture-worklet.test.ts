import { beforeAll, expect, it, vi } from 'vitest';

interface Processor {
  port: { postMessage: (piece: Float32Array) => void };
  process: (inputs: Float32Array[][]) => boolean;
}

let Gatherer: new (options: { processorOptions: { seconds: number } }) => Processor;

beforeAll(async () => {
  vi.stubGlobal('sampleRate', 48000);
  vi.stubGlobal(
    'AudioWorkletProcessor',
    class {
      port = { postMessage: vi.fn() };
    },
  );
  vi.stubGlobal('registerProcessor', (_: string, made: typeof Gatherer) => (Gatherer = made));
  // @ts-expect-error The worklet is plain script: it is loaded by address, not imported.
  await import('./capture-worklet.js');
});

it('hands every sample over once, in order, in pieces of the length asked for', () => {
  const gatherer = new Gatherer({ processorOptions: { seconds: 0.25 } });
  const pieces: Float32Array[] = [];
  gatherer.port.postMessage = (piece) => void pieces.push(piece);
  for (let block = 0; block < 400; block++) {
    const quantum = Float32Array.from({ length: 128 }, (_, i) => block * 128 + i);
    expect(gatherer.process([[quantum, new Float32Array(128)]])).toBe(true);
  }
  expect(pieces.map((piece) => piece.length)).toEqual([12000, 12000, 12000, 12000]);
  const all = pieces.flatMap((piece) => [...piece]);
  expect(all.every((value, i) => value === i)).toBe(true);
});

it('waits through blocks without input', () => {
  const gatherer = new Gatherer({ processorOptions: { seconds: 0.05 } });
  gatherer.port.postMessage = vi.fn();
  expect(gatherer.process([[]])).toBe(true);
  expect(gatherer.port.postMessage).not.toHaveBeenCalled();
});
