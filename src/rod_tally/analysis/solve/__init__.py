"""From elements to movements: the system, constraints, factorisation, mechanisms, which parts take part."""
