export { createApp } from './app.ts';
export { readConfig, type Config } from './config.ts';
export { migrate, openDatabase, type Database } from './database.ts';
