namespace drubble { void filesStub() {} }
