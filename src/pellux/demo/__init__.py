"""The demo scenario: Northcairn Cold Freight, an invented haulier of refrigerated loads."""
