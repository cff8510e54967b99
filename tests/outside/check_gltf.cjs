// Prints what the Khronos glTF validator says of a file.
const fs = require("fs");
const validator = require(process.argv[2] + "/gltf-validator");
validator.validateBytes(new Uint8Array(fs.readFileSync(process.argv[3]))).then((r) => console.log(JSON.stringify(r.issues)));
