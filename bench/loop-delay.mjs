/** Preloaded into a server that is measured: on SIGUSR2 it says how late its event loop was since the last time. */
import { monitorEventLoopDelay } from 'node:perf_hooks';

const delay = monitorEventLoopDelay({ resolution: 5 });
delay.enable();
process.on('SIGUSR2', () => {
  const ms = (value) => Math.round(value / 1e4) / 100;
  process.stdout.write(
    `${JSON.stringify({ p50: ms(delay.percentile(50)), p99: ms(delay.percentile(99)), max: ms(delay.max), rss: process.memoryUsage().rss })}\n`,
  );
  delay.reset();
});
