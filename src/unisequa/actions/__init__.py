"""What people do, one function each: it checks who may, changes things in one transaction, writes history."""
