namespace drubble { void drawStub() {} }
