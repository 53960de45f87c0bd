"""Operations: described, tried, their responses looked at and kept as samples."""
