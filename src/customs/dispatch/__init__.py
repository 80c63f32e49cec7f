"""Writing the package: files, folders, documents, docket. All or nothing."""
