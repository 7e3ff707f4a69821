import { benchDeliver } from './deliver.ts';

await benchDeliver();
