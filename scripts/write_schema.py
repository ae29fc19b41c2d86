"""Write the JSON Schema of the calibration file, as it ships."""

import json

from obsidian_wren.formats.calibration import SCHEMA, schema_json

if __name__ == "__main__":
    SCHEMA.write_text(json.dumps(schema_json(), indent=2) + "\n", "utf-8")
