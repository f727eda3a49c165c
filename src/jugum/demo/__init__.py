"""The made-up scenario: the Lowfell Warm Homes Fund in Norhaven. Every person, firm, place and number is invented."""

WORKSPACE = "Lowfell Warm Homes Fund"
MAIL_PORT = 8425
SUGGESTION_PORT = 8426
