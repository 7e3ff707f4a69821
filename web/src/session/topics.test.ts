import { expect, test } from '@jest/globals';
import { Topics } from './topics.ts';

test('listeners of a topic are told of it alone, until they leave', () => {
  const topics = new Topics<'pose' | 'weights'>();
  const heard: number[] = [];
  const leave = topics.subscribe('pose', () => heard.push(topics.version('pose')));
  topics.tell('pose');
  topics.tell('weights');
  topics.tell('pose');
  leave();
  topics.tell('pose');
  expect(heard).toEqual([1, 2]);
  expect(topics.version('pose')).toBe(3);
  expect(topics.version('weights')).toBe(1);
});

test('a listener may leave while it is being told', () => {
  const topics = new Topics<'pose'>();
  let told = 0;
  const leave = topics.subscribe('pose', () => {
    told++;
    leave();
  });
  topics.tell('pose');
  topics.tell('pose');
  expect(told).toBe(1);
});
