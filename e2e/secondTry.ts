import { jest } from '@jest/globals';

// A busy machine may keep a page waiting longer than a test waits. What fails twice has failed; what passes at the second
// try is named at the end of `npm test`.
jest.retryTimes(1, { logErrorsBeforeRetry: true });
