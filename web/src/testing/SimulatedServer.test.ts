import { describeDocumentService } from '../../../contract/src/testing/documentService.ts';
import { readBody } from './testWorkspace.ts';
import { SimulatedServer } from './SimulatedServer.ts';

describeDocumentService('the simulated server', () => {
  const { read, rows } = readBody();
  const server = new SimulatedServer(read.character.skeleton, rows);
  return Promise.resolve({
    character: server.id,
    jointCount: read.character.skeleton.joints.length,
    fetch: (path: string, init?: RequestInit) => server.answer(path, init),
  });
});
