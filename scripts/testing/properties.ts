import fc from 'fast-check';

// The same cases at every run, so that `npm test` says the same of the same code; `npm run properties` looks at others.
if (process.env.NEW_CASES === undefined) fc.configureGlobal({ seed: 1 });
