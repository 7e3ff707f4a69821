import { benchClothes } from './clothes.ts';

await benchClothes();
