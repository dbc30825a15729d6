// SPDX-License-Identifier: Apache-2.0
// A small object store from the packages of the npm registry, with the bucket "dumps".
// Usage: node small_store.js MODULES PORT FOLDER
const [modules, port, directory] = process.argv.slice(2);
const Store = require(`${modules}/s3rver`);

new Store({ address: "127.0.0.1", port: Number(port), directory, silent: true, configureBuckets: [{ name: "dumps" }] }).run((error) => {
    if (error) {
        console.error(error.message);
        process.exit(1);
    }
});
