"""All of an installer's jobs at once: what each comes to, what is due, and for whom a change changes the answer."""
