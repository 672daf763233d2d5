"""Between samples and far above them: values at any instant, pictures of any width."""
