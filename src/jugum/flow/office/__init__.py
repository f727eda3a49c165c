"""The office: people and what they may do, workspaces and document types, failures of background work."""
