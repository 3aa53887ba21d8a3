//! Nothing here; the measurements are in `budgets.rs`.
