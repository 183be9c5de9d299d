"""Load cases made from rules: storey forces, notional loads, wind; and the rules they are made again by."""
