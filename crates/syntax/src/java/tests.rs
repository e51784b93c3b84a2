//! Fixtures of this front end.
