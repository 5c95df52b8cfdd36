"""Makes the demo's appliance images from small sources with standard tools: real tables, real file systems, real files."""
