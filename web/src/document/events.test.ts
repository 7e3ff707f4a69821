import { expect, test } from '@jest/globals';
import { Events } from './events.ts';

test('listeners of a kind of event are told of it alone, until they leave', () => {
  const events = new Events<'pose' | 'weights'>();
  const heard: number[] = [];
  const leave = events.subscribe('pose', () => heard.push(events.version('pose')));
  events.publish('pose');
  events.publish('weights');
  events.publish('pose');
  leave();
  events.publish('pose');
  expect(heard).toEqual([1, 2]);
  expect(events.version('pose')).toBe(3);
  expect(events.version('weights')).toBe(1);
});

test('a listener may leave while it is being told', () => {
  const events = new Events<'pose'>();
  let told = 0;
  const leave = events.subscribe('pose', () => {
    told++;
    leave();
  });
  events.publish('pose');
  events.publish('pose');
  expect(told).toBe(1);
});
