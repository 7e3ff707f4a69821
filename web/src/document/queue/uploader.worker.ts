import * as Comlink from 'comlink';
import { BulkUploader } from './BulkUploader.ts';

Comlink.expose(new BulkUploader());
