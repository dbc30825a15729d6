// SPDX-License-Identifier: Apache-2.0
// Holds statements against the grammar of a version of MySQL. Usage: check.js MODULES VERSION <STATEMENTS
// STATEMENTS: one a line, as the server's TO_BASE64() writes them with \n for its breaks; MODULES: where the parser is.
const fs = require('fs');
const path = require('path');
const Parser = require(path.join(process.argv[2], 'ts-mysql-parser')).default;

// What the vendor's manuals allow from a version on, and this grammar does not
const version = process.argv[3];
const number = version.split('.').reduce((sum, part) => sum * 100 + Number(part), 0);
const allowed = [
  [50605, /^START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY$/], // several characteristics, parted by commas
  [50000, /^ALTER DATABASE CHARACTER SET \w+ COLLATE \w+$/], // without the database's name
  [80021, /^CREATE USER .* ATTRIBUTE '/], // the server's own words
  [80200, /^SHOW BINARY LOG STATUS$/],
];

const parser = new Parser({ version, charsets: ['_binary', '_utf8mb4', '_latin1'] });
let checked = 0;
const refused = [];
for (const line of fs.readFileSync(0, 'utf8').split('\n')) {
  // A byte is a letter: the bytes of values need be no text
  const statement = Buffer.from(line.replace(/\\n/g, ''), 'base64').toString('latin1');
  if (statement === '' || allowed.some(([since, pattern]) => number >= since && pattern.test(statement))) continue;
  checked++;
  const result = parser.parse(statement);
  const error = result.parserError || result.lexerError;
  if (error) refused.push(`${error.message}: ${statement.slice(0, 300)}`);
}
for (const text of refused) console.log(text);
console.log(`${checked} statements, ${refused.length} refused`);
process.exit(refused.length === 0 && checked > 100 ? 0 : 1);
