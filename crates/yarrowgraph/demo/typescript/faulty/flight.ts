import { lower, upper } from './gauge';
import { ConvoyWatch, KeeperBoard } from './keeperBoard';
import { evening } from './tideTable';

function shift(levels: number[]): void {
  const board = new KeeperBoard(upper, 'upper');
  const watch = new ConvoyWatch(lower);
  for (const cm of levels) {
    upper.read(cm);
    lower.read(300 - cm);
  }
  watch.dispose();
  console.log(board.close().join('\n'));
}

upper.onCrest = (cm) => console.log(`spilling at ${cm} cm`);
shift([120, 240, 300]);
shift([60, 0]);
evening();
