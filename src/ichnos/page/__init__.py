"""What is listened to and looked at: the listening page and the contact sheet."""
