"""Tables, repositories, blobs, migrations."""
