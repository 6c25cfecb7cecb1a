"""The made-up scenario: Hollinmoor Fire and Rescue and its models. It uses the same doors as any owner."""
