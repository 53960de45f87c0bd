"""What every configured thing shares: name, version, document, revisions."""
