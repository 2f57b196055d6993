// Schemas would be compiled with eval, which the content security policy forbids. Said before any of them is made.
globalThis.__zod_globalConfig = { jitless: true };
