"""What the checks share: pictures, rankings, trees in words, leak suspects."""
