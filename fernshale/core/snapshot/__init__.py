"""The content-addressed store: packs of blobs, manifests of trees, compare, restore, verify."""
