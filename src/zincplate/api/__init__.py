"""Flask: parse, call one use case, map errors."""
