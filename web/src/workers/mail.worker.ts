import * as Comlink from 'comlink';
import { Mail } from '../session/mail.ts';

Comlink.expose(new Mail());
