// SPDX-License-Identifier: Apache-2.0
// Usage: node jobs.js MODULES FILE: holds each document of a file against the published schema of its kind, and prints its
// command as a line of shell, with $(NAME) as "$NAME"
const fs = require('fs');
const path = require('path');
const [modules, file] = process.argv.slice(2);
const yaml = require(modules + '/js-yaml');

// The schemas let unknown fields pass, which a cluster does not: each must be one that some schema has
const folders = ['kubernetes-models/batch', 'kubernetes-models/v1', '@kubernetes-models/apimachinery'];
const known = new Set(folders.map((folder) => path.join(modules, folder)).flatMap((folder) =>
    fs.readdirSync(folder, { recursive: true }).filter((name) => name.endsWith('.d.ts')).flatMap((name) =>
        [...fs.readFileSync(path.join(folder, name), 'utf8').matchAll(/"(\w+)"\??:/g)].map((found) => found[1]))));

function checkFields(value, where) {
    if (value === null || typeof value !== 'object') return;
    for (const [name, below] of Object.entries(value)) {
        if (!Array.isArray(value) && !known.has(name)) throw new Error(`${where}: there is no field ${name}`);
        if (name !== 'requests') checkFields(below, `${where}.${name}`); // there each names a resource
    }
}

for (const job of yaml.loadAll(fs.readFileSync(file, 'utf8'))) {
    const { [job.kind]: Kind } = require(`${modules}/kubernetes-models/${job.apiVersion}/${job.kind}`);
    new Kind(job).validate(); // throws what is wrong
    checkFields(job, job.metadata.name);
    const container = job.spec.template.spec.containers[0];
    const variables = new Set(container.env.map((entry) => entry.name));
    console.log(container.command.map((word) => word.replace(/\$\((\w+)\)/, (whole, name) => {
        if (!variables.has(name)) throw new Error(`${job.metadata.name}: no variable is called ${name}`);
        return `"$${name}"`;
    })).join(' '));
}
